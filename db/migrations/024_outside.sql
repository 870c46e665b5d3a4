-- What leaves for systems outside, and the stand-ins for them.

-- Messages: 'refused' by the mail system, 'dropped' as the double of one that left.
alter table outbox drop constraint outbox_status_check;
update outbox set status = 'refused' where status = 'failed';
alter table outbox add constraint outbox_status_check check (status in ('waiting', 'sent', 'refused', 'dropped'));
alter table outbox add column next_at timestamptz not null default now();
alter table outbox add column waits_since timestamptz not null default now();
-- number under which the mail system has it, and whether it had it already
alter table outbox add column taken_as bigint;
alter table outbox add column taken_before boolean not null default false;
-- the message whose double it is
alter table outbox add column double_of bigint;
create index on outbox (workspace, status, id);

-- The stand-in for a mail system: it keeps what it took under a number of its own, each message once.
create table mailbox (
	number bigint generated always as identity primary key,
	message text not null unique,
	recipient text not null,
	subject text not null,
	body text not null,
	at timestamptz not null default now(),
	times integer not null default 1
);

-- How the stand-ins answer.
create table stand_in (
	workspace text primary key references workspace,
	mailbox text not null default 'takes' check (mailbox in ('takes', 'away')),
	receiver text not null default 'takes' check (receiver in ('takes', 'away', 'refuses', 'slow'))
);

-- Addresses that are told of changes of records.
create table hook (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	name text not null,
	-- null for the stand-in that ships with the application
	address text,
	secret text not null,
	-- signed with as well for a day after the secret was changed
	former_secret text,
	former_until timestamptz,
	-- record types that are told of; null for all
	types text[],
	-- paused: what happens is kept for it and leaves later; off: nothing is kept for it
	state text not null default 'on' check (state in ('on', 'paused', 'off')),
	off_because text,
	made_at timestamptz not null default now(),
	made_by bigint references account,
	-- attempts that failed since the last that did not; none is begun before
	failed integer not null default 0,
	rests_until timestamptz,
	-- what was taken so far, also what is forgotten since
	taken bigint not null default 0,
	last_taken timestamptz
);
create index on hook (workspace);

-- What one address is told of one record in one change.
create table hook_event (
	id bigint generated always as identity primary key,
	hook bigint not null references hook on delete cascade,
	change bigint not null,
	type text not null,
	record bigint not null,
	kind text not null check (kind in ('created', 'changed', 'deleted')),
	body text not null,
	at timestamptz not null,
	status text not null default 'waiting' check (status in ('waiting', 'taken', 'refused', 'given up', 'skipped')),
	attempts integer not null default 0,
	next_at timestamptz not null default now(),
	waits_since timestamptz not null default now(),
	-- while it is under way; one whose server was killed is begun again after that
	held_until timestamptz,
	answered integer,
	trouble text,
	settled_at timestamptz
);
create index on hook_event (hook, type, record, id) where status = 'waiting';
create index on hook_event (hook, id) where status = 'waiting';
create index on hook_event (hook, status) where status <> 'taken';
create index on hook_event (hook, id);
create index on hook_event (type, record, id);
create index on hook_event (settled_at) where status <> 'waiting';

-- What the stand-in receiver got.
create table received (
	id bigint generated always as identity primary key,
	hook bigint not null references hook on delete cascade,
	event text not null,
	type text not null,
	record bigint not null,
	version integer not null,
	-- the version of the record that it knew before; null for none
	known integer,
	at timestamptz not null default now(),
	times integer not null default 1,
	unique (hook, event)
);
create index on received (hook, type, record, id desc);

-- The stand-in for a source of leads: it posts enquiries through the API at a pace, until its time is over.
create table lead_source (
	workspace text primary key references workspace,
	-- the service for which it acts, and the token with which it comes: a side of its own, as a system outside would keep it
	account bigint references account,
	token text,
	type text,
	every_ms integer not null default 5000,
	until timestamptz,
	next_at timestamptz not null default now(),
	posted bigint not null default 0
);
create table lead_posted (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	at timestamptz not null default now(),
	key text not null,
	type text not null,
	sent jsonb not null,
	-- null where nothing was answered
	status integer,
	answer jsonb not null,
	took_ms integer not null,
	-- answered as the one before under the same key
	replayed boolean not null
);
