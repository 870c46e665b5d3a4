-- What rules did, counted by the hour (by the day after some days), so that no page counts over history.
create table rule_tally (
	workspace text not null references workspace,
	at timestamptz not null,
	claim text not null,
	-- what became of it; 'overruled' where somebody set the value otherwise, or kept their own, by hand
	outcome text not null,
	n bigint not null,
	last timestamptz not null,
	rule_name text,
	primary key (workspace, at, claim, outcome)
);
-- Up to which change and which refusal it is counted. Numbers are given before they are stored, so what was
-- the last is counted when all that was under way at that moment is over.
create table tally_state (
	workspace text primary key references workspace,
	changes bigint not null default 0,
	refusals bigint not null default 0,
	seen_changes bigint not null default 0,
	seen_refusals bigint not null default 0,
	seen_at timestamptz not null default now(),
	seen_by xid8 not null default '0'
);
