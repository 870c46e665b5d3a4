-- Jobs are cut by ranges of keys, which any number of workers share; one can be paused; what a job is carried
-- out on is kept as it was when it began.
alter table job drop constraint job_state_check;
alter table job add constraint job_state_check
	check (state in ('waiting', 'running', 'paused', 'done', 'failed', 'cancelled'));
-- asked to pause, which it does at its next piece
alter table job add column pausing boolean not null default false;
-- when it last went on after a pause, which its time limit leaves out
alter table job add column resumed_at timestamptz;
alter table job add column frozen jsonb;

create table job_range (
	job uuid not null references job on delete cascade,
	n integer not null,
	type text not null,
	-- the keys, both included
	low bigint not null,
	high bigint not null,
	-- null until it is done
	result jsonb,
	primary key (job, n)
);
create index on job_range (job) where result is null;

-- What the analysis of a draft came to, by the hash of all that it was made of.
create table analysis (
	workspace text not null references workspace,
	hash text not null,
	at timestamptz not null default now(),
	answer jsonb not null,
	primary key (workspace, hash)
);

-- A session that nobody uses ends.
alter table session add column seen_at timestamptz not null default now();

-- For how many days what is kept: {"history": 730}; what is absent is kept for good.
alter table workspace add column keep jsonb not null default '{}';
create index on change (workspace, at);
create index on outbox (change);
create index on carried_change (change);
