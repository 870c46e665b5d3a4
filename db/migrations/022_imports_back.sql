-- Imports are taken back too: what they changed goes back, and what they made is deleted.
alter table bulk add column undoes_import uuid references import on delete set null;
alter table bulk_row add column removes boolean not null default false;
