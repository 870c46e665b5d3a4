-- Lists of records that somebody named: which records, which columns, in what order. Everybody sees them.
create table list_view (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	type text not null,
	name text not null,
	-- what it asks for, fields by identity
	list jsonb not null,
	version integer not null default 1,
	account bigint references account,
	at timestamptz not null default now()
);
create unique index on list_view (workspace, type, lower(name));
