-- Findings that somebody accepted are documents of the draft, beside definitions and tables.
alter table draft_part drop constraint draft_part_kind_check;
alter table draft_part add constraint draft_part_kind_check check (kind in ('definition', 'table', 'acceptance'));
