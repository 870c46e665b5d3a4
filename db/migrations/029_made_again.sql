-- A record that what is taken back had deleted: it is made again, under its number.
alter table bulk_row add column restores boolean not null default false;
