-- A rehearsal on the changes of a period instead of the records: {"from", "to"} as calendar days, both included.
alter table rehearsal add column period jsonb;
-- The order of what is behind it: that of keys in a rehearsal, of the changes in a replay.
alter table rehearsed add column place bigint generated always as identity;
create index on rehearsed (rehearsal, about, n, place);
drop index rehearsed_rehearsal_about_record_idx;
