-- What a field was until it got another type or was removed, so that history can still be read: its
-- lines keep the values of then.
create table field_past (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	type text not null,
	field text not null,
	doc jsonb not null,
	until timestamptz not null
);
create index on field_past (workspace, type, field, until);
