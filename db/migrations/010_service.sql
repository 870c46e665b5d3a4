-- Roles by what they may do; accounts of services; tokens that have a role of their own, an end and a last
-- use; who did what; answers kept for requests that come twice; drafts that were replaced.

alter table account drop constraint account_role_check;
-- whoever could release goes on doing so
update account set role = 'releaser' where role = 'author';
alter table account add constraint account_role_check
	check (role in ('reader', 'author', 'releaser', 'operator', 'administrator'));
-- A service signs in nowhere: it has tokens and no password.
alter table account alter column password drop not null;
alter table account add column service boolean not null default false;
alter table account add constraint account_password_check check (service = (password is null));

-- A second person releases what one has written.
alter table workspace add column second_person boolean not null default false;

alter table api_token add column role text;
update api_token t set role = a.role from account a where a.id = t.account;
alter table api_token alter column role set not null;
-- null: all record types
alter table api_token add column types text[];
alter table api_token add column expires_at timestamptz;
alter table api_token add column used_at timestamptz;

-- Who did what. Rows are only ever added.
create table audit (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	at timestamptz not null default clock_timestamp(),
	account bigint references account,
	-- as it was called then, or what was typed by whoever did not get in
	who text not null,
	did text not null,
	-- what it was done to, for people
	object text not null default '',
	detail jsonb,
	address text,
	request text
);
create index on audit (workspace, id desc);
create index on audit (workspace, did, id desc);
create index on audit (workspace, account, id desc);
create function refuse_rewriting() returns trigger language plpgsql as $$
begin
	raise exception 'What was done is never rewritten.';
end $$;
create trigger audit_is_only_added_to before update or delete or truncate on audit
	for each statement execute function refuse_rewriting();

-- What was answered to a request that has a key, for a day: the same request gets the same answer. A row is
-- claimed in the transaction of the change, so another that comes meanwhile waits for it.
create table kept_answer (
	account bigint not null references account on delete cascade,
	route text not null,
	key text not null,
	request_hash text not null,
	status integer,
	-- json and not jsonb: it is given again sign by sign
	body json,
	at timestamptz not null default now(),
	primary key (account, route, key)
);
create index on kept_answer (at);

-- Drafts that a release took the place of, to be returned to.
create table kept_draft (
	id bigint generated always as identity primary key,
	workspace text not null references workspace,
	at timestamptz not null default now(),
	account bigint references account,
	instead text not null,
	format integer not null,
	doc jsonb not null
);
create index on kept_draft (workspace, id desc);

-- A workspace with the demo says so: its passwords are known to everyone.
alter table workspace add column demo boolean not null default false;
-- The demo is being filled; one that was broken off is begun anew.
alter table workspace add column filling boolean not null default false;
update workspace set demo = true where id = 'quillmere';

-- The code by which the first administrator is made, as a hash; there is one as long as nobody can sign in.
create table first_code (
	one boolean primary key default true check (one),
	code_hash bytea not null
);
