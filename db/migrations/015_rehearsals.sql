-- Rehearsals: of any version against any other, of all records or of those that a condition selects.
drop table rehearsal;
-- what was under way says less than is now asked
delete from job_range where job in (select id from job where kind = 'rehearsal' and ended_at is null);
update job set state = 'cancelled', frozen = null, ended_at = now() where kind = 'rehearsal' and ended_at is null;
create table rehearsal (
	-- the job that carries it out, which may be forgotten before it
	id uuid primary key,
	workspace text not null references workspace,
	at timestamptz not null default now(),
	account bigint references account,
	-- numbers of releases; null for the draft, 0 for no rules at all
	before integer,
	after integer,
	-- of the two rule sets, the model and the selection
	hash text not null,
	-- of the draft, as pages know it, where it is one of the two
	draft_hash text,
	-- {"type", "condition"}; null for all records
	selection jsonb,
	-- null until it has ended
	result jsonb,
	ended_at timestamptz,
	-- surprises that somebody looked at, by key: {"by", "at"}
	looked jsonb not null default '{}'
);
create index on rehearsal (workspace, at desc);

-- The records behind what it tells.
create table rehearsed (
	rehearsal uuid not null references rehearsal on delete cascade,
	-- the range of records in which it was found
	n integer not null,
	-- "value type.field", "refused claim" or "sends claim"
	about text not null,
	record bigint not null,
	title text not null,
	-- of a value {"stored", "from", "to", "claim", "overwritten"}; of a refusal and of a message what it says
	doc jsonb not null
);
create index on rehearsed (rehearsal, about, record);
