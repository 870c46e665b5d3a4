-- What the application keeps beside the records: people, the model, rules, releases, trials, history.
-- Record tables (r_<type>) are made from the model, a typed column for each field.

create table workspace (
	id text primary key,
	name text not null,
	zone text not null,
	person_type text,
	model_revision integer not null default 1,
	draft_revision integer not null default 1
);

create table account (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	email text not null,
	name text not null,
	password text not null,
	role text not null check (role in ('administrator', 'author', 'reader')),
	person bigint,
	unique (email)
);

create table session (
	token_hash bytea primary key,
	account bigint not null references account on delete cascade,
	created_at timestamptz not null default now(),
	expires_at timestamptz not null
);

create table sign_in_attempt (
	id bigint generated always as identity primary key,
	email text not null,
	address text not null,
	at timestamptz not null default now()
);
create index on sign_in_attempt (email, at);
create index on sign_in_attempt (address, at);

create table api_token (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	account bigint not null references account on delete cascade,
	name text not null,
	token_hash bytea not null unique,
	created_at timestamptz not null default now(),
	revoked_at timestamptz
);

create table option_list (
	workspace text not null references workspace,
	id text not null,
	label text not null,
	position integer not null,
	primary key (workspace, id)
);

create table option (
	workspace text not null,
	list text not null,
	id text not null,
	label text not null,
	position integer not null,
	retired boolean not null default false,
	primary key (workspace, list, id),
	foreign key (workspace, list) references option_list
);

create table record_type (
	workspace text not null references workspace,
	id text not null,
	doc jsonb not null,
	position integer not null,
	primary key (workspace, id)
);

create table field (
	workspace text not null,
	type text not null,
	id text not null,
	doc jsonb not null,
	position integer not null,
	primary key (workspace, type, id),
	foreign key (workspace, type) references record_type
);

-- The draft: a row for each rule and for each claim order, so that two authors can work at once.
create table rule (
	workspace text not null references workspace,
	id text not null,
	doc jsonb not null,
	position double precision not null,
	version integer not null default 1,
	updated_at timestamptz not null default now(),
	updated_by bigint references account,
	primary key (workspace, id)
);

create table claim_order (
	workspace text not null references workspace,
	field text not null,
	claims text[] not null,
	primary key (workspace, field)
);

create table trial (
	workspace text not null references workspace,
	id text not null,
	doc jsonb not null,
	position double precision not null,
	primary key (workspace, id)
);

-- Releases never change.
create table release (
	workspace text not null references workspace,
	number integer not null,
	created_at timestamptz not null default now(),
	created_by bigint references account,
	note text not null,
	doc jsonb not null,
	hash text not null,
	primary key (workspace, number)
);
create function refuse_change() returns trigger language plpgsql as $$
begin
	raise exception 'A release never changes.';
end $$;
create trigger release_is_immutable before update or delete on release
	for each row execute function refuse_change();

create table in_force (
	workspace text primary key references workspace,
	release integer not null,
	foreign key (workspace, release) references release
);

create table in_force_log (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	release integer not null,
	at timestamptz not null default now(),
	account bigint references account
);

create table rehearsal (
	workspace text primary key references workspace,
	draft_hash text not null,
	at timestamptz not null default now(),
	result jsonb not null
);

create table change (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	at timestamptz not null,
	account bigint references account,
	entry_point text not null,
	release integer
);

create table change_line (
	change bigint not null references change,
	type text not null,
	record bigint not null,
	field text not null,
	was jsonb,
	now jsonb,
	claim text,
	rule_name text,
	because text,
	-- what became of it: set, or asked for and set aside, or a rule that failed
	outcome text not null default 'set' check (outcome in ('set', 'set aside', 'failed')),
	primary key (change, type, record, field, outcome)
);
create index on change_line (type, record, change desc);
create index on change_line (claim);
