-- What a switch of the release in force leaves out of line is carried on like the rest of a change,
-- and comes from no change.
alter table carried_change alter column change drop not null;
alter table carried_change add column release integer;
