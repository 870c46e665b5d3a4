-- The last field that had become another kind, or was removed, when a bulk change was looked at: what is sent to a field
-- that became one since meant something else. One that was looked at before this is taken to know of all until now.
alter table bulk add column past_fields bigint not null default 0;
update bulk b set past_fields = coalesce((select max(id) from field_past p where p.workspace = b.workspace), 0);
