-- What reaches beyond one record: keys by which records are found again, messages, work put off.

-- beside each text column the key under which it is matched, and of addresses their domain
do $$
declare
	f record;
	t text;
	c text;
begin
	for f in select distinct type, id, doc from field where doc->>'type' in ('text', 'email', 'phone') loop
		t := 'r_' || f.type;
		c := f.id;
		execute format('alter table %I add column if not exists %I text', t, 'k_' || c);
		if f.doc->>'type' = 'email' then
			execute format('alter table %I add column if not exists %I text', t, 'd_' || c);
		end if;
	end loop;
end $$;

-- one change may tell several things of one field: two rules that failed, two messages
alter table change_line drop constraint change_line_pkey;
create index on change_line (change);
alter table change_line drop constraint change_line_outcome_check;
alter table change_line add constraint change_line_outcome_check
	check (outcome in ('set', 'set aside', 'failed', 'sent', 'deleted'));

-- rules that ran and wrote nothing: [type, record, claim, outcome]
alter table change add column quiet jsonb;

create table outbox (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	change bigint not null references change,
	claim text not null,
	rule_name text not null,
	type text not null,
	record bigint not null,
	target_type text,
	target bigint,
	recipient text not null,
	subject text not null,
	body text not null,
	-- set for messages that leave at most once in a period
	once_key text,
	at timestamptz not null,
	status text not null default 'waiting' check (status in ('waiting', 'sent', 'failed')),
	attempts integer not null default 0,
	settled_at timestamptz,
	trouble text,
	unique (workspace, once_key)
);
create index on outbox (id) where status = 'waiting';
create index on outbox (workspace, type, record);

-- A change that ran on to more records than one transaction takes: what is left of it.
create table carried_change (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	change bigint not null references change,
	account bigint references account,
	entry_point text not null,
	at timestamptz not null,
	person text,
	-- what the records of the change were before it
	before jsonb not null
);
create table pending_record (
	carried bigint not null references carried_change on delete cascade,
	type text not null,
	record bigint not null,
	touched text[] not null,
	attempts integer not null default 0,
	trouble text,
	primary key (carried, type, record)
);
create index on pending_record (type, record);
-- the next piece is taken in this order
create index on pending_record (carried, attempts, type, record);
