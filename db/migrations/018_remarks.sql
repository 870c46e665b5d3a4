-- What somebody says of a rule, a finding or a trial, until somebody notes that it is settled.
create table remark (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	kind text not null check (kind in ('rule', 'finding', 'trial')),
	-- the identity of what it stands at, which may be gone, and how that was called
	key text not null,
	title text not null,
	text text not null,
	account bigint references account,
	at timestamptz not null default now(),
	settled_by bigint references account,
	settled_at timestamptz
);
create index on remark (workspace, settled_at, id);
