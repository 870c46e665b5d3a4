/** Pilots: a release that decides some records first, which these are, and what it decided otherwise. */
import type { JsonValue, PilotChoice } from '../../core';
import { iso } from './iso';
import { columnOf, tableOf } from './model';
import type { Db } from './pool';

/** The pilot that is on, as far as a change has to know. */
export interface PilotOn {
	id: string;
	release: number;
	/** Grows when it is widened. */
	version: number;
}

/** A pilot, on or ended. */
export interface Pilot extends PilotOn {
	/** The release that decides all other records. */
	beside: number;
	choice: PilotChoice;
	why: string;
	at: string;
	by: string | null;
	ended: { how: 'taken' | 'withdrawn'; at: string; by: string | null; why: string } | null;
	/** What its rules did that stays, where it ended. */
	lasting: Lasting | null;
	/** How many records belong to it, or did when it ended; of a type that some do. */
	members: Record<string, number>;
}

/** What the rules of a pilot did that is not undone by ending it. */
export interface Lasting {
	/** Messages that left or are to leave, by rule. */
	messages: { rule: string; n: number }[];
	/** Values that an event gave, or that filled a blank field. */
	values: { type: string; field: string; n: number }[];
}

/** The pilot that is on; null where none is. */
export async function pilotOn(db: Db, workspace: string): Promise<PilotOn | null> {
	const r = await db.query<PilotOn>(
		'select id::text, release, version from pilot where workspace = $1 and ended_at is null',
		[workspace]
	);
	return r.rows[0] ?? null;
}

/** Which records come to belong to a pilot. */
export async function readChoice(db: Db, id: string): Promise<PilotChoice> {
	const r = await db.query<{ choice: PilotChoice }>('select choice from pilot where id = $1', [id]);
	return r.rows[0].choice;
}

/**
 * Pilots, the newest first: one that is on is the first.
 * @param before only those that were begun before that one; null for all
 * @param only that one alone; null for all
 */
export async function listPilots(
	db: Db,
	workspace: string,
	{
		most,
		before = null,
		only = null
	}: { most: number; before?: string | null; only?: string | null }
): Promise<Pilot[]> {
	const r = await db.query<Pilot>(
		`select p.id::text, p.release, p.version, p.beside, p.choice, p.why, p.lasting, ${iso('p.started_at')} as at, a.name as by,
		        case when p.ended is not null then json_build_object('how', p.ended, 'at', ${iso('p.ended_at')}, 'by', e.name, 'why', p.end_why) end as ended,
		        coalesce((select json_object_agg(m.type, m.n) from
		          (select type, count(*)::int as n from pilot_member where pilot = p.id group by type) m), '{}') as members
		 from pilot p left join account a on a.id = p.started_by left join account e on e.id = p.ended_by
		 where p.workspace = $1 and ($3::bigint is null or p.id < $3) and ($4::bigint is null or p.id = $4)
		 order by p.id desc limit $2`,
		[workspace, most, before, only]
	);
	return r.rows;
}

export async function insertPilot(
	db: Db,
	workspace: string,
	p: { release: number; beside: number; choice: PilotChoice; why: string; account: string }
): Promise<string> {
	const r = await db.query<{ id: string }>(
		`insert into pilot (workspace, release, beside, choice, why, started_by) values ($1, $2, $3, $4, $5, $6) returning id::text`,
		[workspace, p.release, p.beside, JSON.stringify(p.choice), p.why, p.account]
	);
	return r.rows[0].id;
}

/** Whoever asks for what a pilot chooses from now on gets this. */
export async function changeChoice(db: Db, id: string, choice: PilotChoice): Promise<void> {
	await db.query('update pilot set choice = $2, version = version + 1 where id = $1', [
		id,
		JSON.stringify(choice)
	]);
}

export async function endPilot(
	db: Db,
	id: string,
	how: 'taken' | 'withdrawn',
	why: string,
	account: string,
	lasting: Lasting
): Promise<void> {
	await db.query(
		'update pilot set ended = $2, end_why = $3, ended_by = $4, ended_at = now(), lasting = $5 where id = $1',
		[id, how, why, account, JSON.stringify(lasting)]
	);
}

/** What the rules of a pilot did that stays. @param claims those whose values stay */
export async function lastingOf(
	db: Db,
	{ id, release }: PilotOn,
	claims: readonly string[]
): Promise<Lasting> {
	const messages = await db.query<{ rule: string; n: number }>(
		`select o.rule_name as rule, count(*)::int as n
		 from pilot p join pilot_member m on m.pilot = p.id
		 join record_change h on h.type = m.type and h.record = m.record and h.release = $2
		 join outbox o on o.workspace = p.workspace and o.type = h.type and o.record = h.record and o.change = h.change
		 where p.id = $1 and o.at >= m.since and o.status in ('waiting', 'sent') group by 1 order by 2 desc, 1`,
		[id, release]
	);
	const values = await db.query<{ type: string; field: string; n: number }>(
		`select h.type, q->>1 as field, count(*)::int as n
		 from pilot_member m
		 join record_change h on h.type = m.type and h.record = m.record and h.release = $2
		 join change c on c.id = h.change
		 cross join lateral jsonb_array_elements(h.lines) q
		 where m.pilot = $1 and q->>0 = 'set' and q->>4 = any($3) group by 1, 2 order by 3 desc, 1, 2`,
		[id, release, claims]
	);
	return { messages: messages.rows, values: values.rows };
}

/** Makes records members; those that are already stay as they are. @returns how many came to it */
export async function addMembers(
	db: Db,
	pilot: string,
	type: string,
	ids: readonly string[],
	how: 'chosen' | 'made' | 'brought'
): Promise<number> {
	if (!ids.length) return 0;
	const r = await db.query(
		`insert into pilot_member (pilot, type, record, how)
		 select $1, $2, unnest($3::bigint[]), $4 on conflict do nothing`,
		[pilot, type, ids, how]
	);
	return r.rowCount ?? 0;
}

/** Those of some records of a type that belong to a pilot. */
export async function membersAmong(
	db: Db,
	pilot: string,
	type: string,
	ids: readonly string[]
): Promise<Set<string>> {
	if (!ids.length) return new Set();
	const r = await db.query<{ record: string }>(
		'select record::text from pilot_member where pilot = $1 and type = $2 and record = any($3::bigint[])',
		[pilot, type, ids]
	);
	return new Set(r.rows.map((x) => x.record));
}

/** Since when and how a record belongs to the pilot that is on; null where it does not. */
export async function membershipOf(
	db: Db,
	pilot: string,
	type: string,
	id: string
): Promise<{ since: string; how: 'chosen' | 'made' | 'brought' } | null> {
	const r = await db.query<{ since: string; how: 'chosen' | 'made' | 'brought' }>(
		`select ${iso('since')} as since, how from pilot_member where pilot = $1 and type = $2 and record = $3`,
		[pilot, type, id]
	);
	return r.rows[0] ?? null;
}

/** What the two releases decided differently of a record. */
export interface Difference {
	type: string;
	/** Null for one that was not made. */
	record: string | null;
	/** Of messages: that the pilot alone sent it, or that the other alone would have. */
	kind: 'value' | 'refused' | 'let through' | 'sent' | 'unsent';
	/** The field; in its place for messages what their rules stand under. */
	field: string | null;
	/** What the other release gives. */
	beside: JsonValue;
	/** What the pilot gave. */
	gave: JsonValue;
	message: string | null;
}

/** @param change its number; null for one that was refused */
export async function keepDifferences(
	db: Db,
	pilot: string,
	at: string,
	change: string | null,
	all: readonly Difference[]
): Promise<void> {
	if (!all.length) return;
	await db.query(
		`insert into pilot_difference (pilot, at, change, type, record, kind, field, beside, gave, message)
		 select $1, $2, $3::bigint, d.type, d.record, d.kind, d.field, d.beside, d.gave, d.message
		 from jsonb_to_recordset($4::jsonb) as d(type text, record bigint, kind text, field text, beside jsonb, gave jsonb, message text)`,
		[pilot, at, change, JSON.stringify(all)]
	);
}

/** How often the two decided differently, by day, type, field and kind. */
export async function differencesByDay(
	db: Db,
	pilot: string,
	zone: string
): Promise<
	{ day: string; type: string; field: string | null; kind: Difference['kind']; n: number }[]
> {
	const r = await db.query<{
		day: string;
		type: string;
		field: string | null;
		kind: Difference['kind'];
		n: number;
	}>(
		`select to_char(at at time zone $2, 'YYYY-MM-DD') as day, type, field, kind, count(*)::int as n
		 from pilot_difference where pilot = $1 group by 1, 2, 3, 4 order by 1, 2, 3, 4`,
		[pilot, zone]
	);
	return r.rows;
}

/** A difference as it is listed. */
export interface SeenDifference extends Difference {
	id: string;
	at: string;
	title: string | null;
}

/** The differences of one day, the newest first. @param day as `2026-11-28` in the zone; all days where null */
export async function listDifferences(
	db: Db,
	pilot: string,
	o: {
		zone: string;
		day: string | null;
		type: string;
		field: string | null;
		title: string;
		before: string | null;
		most: number;
	}
): Promise<SeenDifference[]> {
	const r = await db.query<SeenDifference>(
		`select d.id::text, ${iso('d.at')} as at, d.type, d.record::text, d.kind, d.field, d.beside, d.gave, d.message, r.${columnOf(o.title)}::text as title
		 from pilot_difference d left join ${tableOf(o.type)} r on r.id = d.record
		 where d.pilot = $1 and d.type = $2 and ($3::text is null or d.field = $3)
		   and ($4::text is null or to_char(d.at at time zone $5, 'YYYY-MM-DD') = $4) and ($6::bigint is null or d.id < $6)
		 order by d.id desc limit $7`,
		[pilot, o.type, o.field, o.day, o.zone, o.before, o.most]
	);
	return r.rows;
}
