-- One thing done to many records: what, to which, and for each record what it would come to and what it came to.
create table bulk (
	id uuid primary key default gen_random_uuid(),
	workspace text not null references workspace,
	account bigint references account,
	at timestamptz not null default now(),
	type text not null,
	-- which records, what is done, what is spared
	asked jsonb not null,
	-- the bulk change that this one takes back
	undoes uuid references bulk on delete set null,
	-- the release by which it was looked at
	release integer,
	-- the job that looked at it, and the one that did it
	look uuid references job,
	job uuid references job
);
create index on bulk (workspace, at desc);

create table bulk_row (
	bulk uuid not null references bulk on delete cascade,
	n integer not null,
	type text not null,
	record bigint not null,
	title text not null,
	-- of the record when it was looked at
	version integer not null,
	-- what is sent to it, [[field, value]], and which of that is kept against rules
	sent jsonb not null,
	keep text[] not null,
	-- taken back: who had set each field, null for nobody known
	had jsonb,
	look jsonb,
	outcome jsonb,
	primary key (bulk, n)
);
create unique index on bulk_row (bulk, type, record);
create index on bulk_row (bulk, n) where outcome is null;
