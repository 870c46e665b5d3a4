-- Definitions and reference tables of the draft, a row each, beside its rules; codes of options.

create table draft_part (
	workspace text not null references workspace,
	kind text not null check (kind in ('definition', 'table')),
	id text not null,
	doc jsonb not null,
	position double precision not null,
	version integer not null default 1,
	updated_at timestamptz not null default now(),
	updated_by bigint references account,
	primary key (workspace, kind, id)
);

alter table option add column code text;
