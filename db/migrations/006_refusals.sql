-- What rules refused: nothing of the change was saved, and the journal tells of it all the same.
create table refusal (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	at timestamptz not null,
	account bigint references account,
	entry_point text not null,
	release integer not null,
	type text not null,
	-- none for a record that was not made
	record bigint,
	field text not null,
	claim text not null,
	rule_name text not null,
	message text not null
);
create index on refusal (workspace, at);
create index on refusal (claim, id);
