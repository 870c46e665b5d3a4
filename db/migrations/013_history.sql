-- History: one row for each record that a change did something at, with all its lines.
-- No foreign key: the rows of a change are written and forgotten together with it, by one statement each,
-- and looking the change up again for each row is a third of what writing it costs.
create table record_change (
	change bigint not null,
	type text not null,
	record bigint not null,
	-- the change made the record
	made boolean not null default false,
	-- rules that did something here, and, with ~ before them, those that ran and wrote nothing
	marks text[] not null,
	-- [outcome, field, was, now, claim, rule's name, because, who had set it], what was told first, then what
	-- ran and wrote nothing; what is null at the end of a line is left out
	lines jsonb not null,
	primary key (type, record, change)
);
create index on record_change (change);
create index on record_change using gin (marks);

-- What was sent: {"person", "records": [{"type", "record", "sent": [[field, value]], "keep", "release"}]}, fields
-- in the order in which they were touched. Null for what was stored before it was kept, or carried on.
alter table change add column submission jsonb;
alter table refusal add column submission jsonb;
-- the job that it was a part of, which may be forgotten before it
alter table change add column job uuid;
create index on change (job) where job is not null;

-- History as it was stored before, line by line. It is moved in pieces while the server runs.
create index on change (id) where quiet is not null;
create view earlier_line as
	select change, type, record, field, was, now, claim, rule_name, because, outcome, null::text as had
	from change_line
	union all
	select c.id, q->>0, (q->>1)::bigint, q->>5, null, null, q->>2, q->>6, q->>4, q->>3, null
	from change c, jsonb_array_elements(c.quiet) q where c.quiet is not null;

-- All of history, line by line.
create view history_line as
	select h.change, h.type, h.record, q->>1 as field, q->2 as was, q->3 as now, q->>4 as claim,
	       q->>5 as rule_name, q->>6 as because, q->>0 as outcome, q->>7 as had
	from record_change h, jsonb_array_elements(h.lines) q
	union all
	select * from earlier_line;
