-- People come and go: a retired account signs in nowhere, and stays in history. When and from where a
-- session was begun, so that its owner can tell it from others.
alter table account add column retired_at timestamptz;
alter table account add column must_change boolean not null default false;
alter table session add column id bigint generated always as identity;
alter table session add column address text;
alter table session add column agent text;
