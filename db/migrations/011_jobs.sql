-- Work that takes long: what was asked, by whom, how far it is and what came of it. Who does it next is a
-- matter of the queue (schema graphile_worker, made by its own migrations); what it is stands here.
create table job (
	id uuid primary key default gen_random_uuid(),
	workspace text not null references workspace,
	kind text not null,
	-- for people: what it works on
	title text not null,
	account bigint references account,
	input jsonb not null,
	state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed', 'cancelled')),
	done integer not null default 0,
	-- null while it is not known how much there is
	of integer,
	result jsonb,
	-- why it failed, or what it says beside its result
	message text,
	-- asked to stop, which it does at its next piece
	stopping boolean not null default false,
	queued_at timestamptz not null default now(),
	began_at timestamptz,
	-- when it was last heard of
	heard_at timestamptz,
	ended_at timestamptz
);
create index on job (workspace, queued_at desc);

-- Workers that live: what one that was killed had taken is given to others.
create table worker (
	id text primary key,
	heard_at timestamptz not null default now()
);

-- Files to import, as they came, and their rows with what became of each.
create table import (
	id uuid primary key default gen_random_uuid(),
	workspace text not null references workspace,
	account bigint references account,
	at timestamptz not null default now(),
	type text not null,
	name text not null,
	sha256 text not null,
	encoding text not null,
	content bytea not null,
	-- the heading, and for each column what it is taken for
	head text[] not null,
	rows integer not null,
	settings jsonb not null,
	dry_run uuid references job,
	job uuid references job
);
create index on import (workspace, at desc);
create index on import (workspace, sha256);

create table import_row (
	import uuid not null references import on delete cascade,
	-- line of the file, the heading being line 1
	line integer not null,
	cells text[] not null,
	-- of the import, and of the last dry run
	outcome jsonb,
	dry jsonb,
	primary key (import, line)
);
create index on import_row (import, line) where outcome is null;
