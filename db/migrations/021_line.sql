-- Values of records that are not as the rules in force would have them, as they were found; kept up by jobs.
create table out_of_line (
	workspace text not null references workspace,
	type text not null,
	record bigint not null,
	field text not null,
	-- which would give it another value, or failed
	claim text not null,
	stored jsonb,
	result jsonb,
	-- somebody set it, or kept it, against the rules
	by_hand boolean not null,
	-- why its Locked claim fails
	failed text,
	release integer not null,
	-- version of the record when it was looked at
	version integer not null,
	at timestamptz not null default now(),
	-- left as it is, until the value or the result changes
	left_by bigint references account,
	left_at timestamptz,
	left_why text,
	primary key (type, record, field)
);
create index on out_of_line (workspace, type, field, record);

-- The day on which it was last looked at what depends on the day.
alter table workspace add column lined_on date;
