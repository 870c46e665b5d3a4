-- A release that decides some records first. One at a time is on in a workspace.
create table pilot (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	release integer not null,
	-- the release that decides all other records
	beside integer not null,
	-- which records come to belong to it
	choice jsonb not null,
	-- grows when it is widened
	version integer not null default 1,
	why text not null default '',
	started_at timestamptz not null default now(),
	started_by bigint references account,
	ended_at timestamptz,
	ended_by bigint references account,
	-- 'taken': its release is in force for all records; 'withdrawn': nothing is decided by it any more
	ended text check (ended in ('taken', 'withdrawn')),
	end_why text not null default '',
	-- what its rules did that ending it does not undo
	lasting jsonb,
	foreign key (workspace, release) references release (workspace, number),
	check ((ended is null) = (ended_at is null))
);
create unique index on pilot (workspace) where ended_at is null;

-- The records that belong to it. None leaves it before it ends.
create table pilot_member (
	pilot bigint not null references pilot on delete cascade,
	type text not null,
	record bigint not null,
	since timestamptz not null default now(),
	-- 'chosen': it met the condition when the pilot started or was widened; 'made': when it was made; 'brought': by a change
	how text not null check (how in ('chosen', 'made', 'brought')),
	primary key (pilot, type, record)
);
create index on pilot_member (type, record);

-- What the two releases decided differently, at each change of records of a pilot.
create table pilot_difference (
	id bigint generated always as identity primary key,
	pilot bigint not null references pilot on delete cascade,
	at timestamptz not null,
	-- null for a change that was refused
	change bigint,
	type text not null,
	-- null for a record that was not made
	record bigint,
	-- 'value': it got another one; 'refused': the pilot refused what the other lets through; 'let through': the other way round
	kind text not null check (kind in ('value', 'refused', 'let through')),
	field text,
	-- what the other release gives, and what the pilot gave
	beside jsonb,
	gave jsonb,
	-- of a refusal: what it says
	message text
);
create index on pilot_difference (pilot, at);

-- The release that decided a record, where another decided the one at which the change began.
alter table record_change add column release integer;
