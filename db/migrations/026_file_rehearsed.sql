-- A version from a file held against the draft or a release.
alter table rehearsal add column file jsonb;
comment on column rehearsal.file is '{"name", "as", "hash"}: which of the two came from a file, as before or after, whose number is then -1';
-- Its rules, for the job that has not begun yet.
create table rehearsed_set (
	job uuid primary key references job on delete cascade,
	set jsonb not null
);
