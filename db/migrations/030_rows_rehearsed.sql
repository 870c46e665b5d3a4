-- The edit of living tables that was the last when a rehearsal began: rows that were edited since had no part in it.
alter table rehearsal add column living integer;
