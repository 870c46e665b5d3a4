-- The format in which each document was written; reading brings it to the present one.
alter table rule add column format integer not null default 1;
alter table draft_part add column format integer not null default 1;
alter table trial add column format integer not null default 1;
