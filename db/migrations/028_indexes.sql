-- Indexes of record tables that somebody wants for their lists. Which of them are there PostgreSQL itself knows.
create table wanted_index (
	workspace text not null references workspace,
	type text not null,
	field text not null,
	-- 'value': it is filtered, or ordered where that is by the value itself; 'order': by text, option or set;
	-- 'words': a part of the title is looked for; 'setter': who set it
	use text not null check (use in ('value', 'order', 'words', 'setter')),
	account bigint references account,
	at timestamptz not null default now(),
	-- why it could not be made, the last time
	trouble text,
	primary key (workspace, type, field, use)
);
