/** Changes as history holds them, to be made again. */
import type { EntryPoint, JsonValue, Road } from '../../core';
import type { Sent } from './history';
import { isoExact } from './iso';
import type { Db } from './pool';

/** What happened to one record in a change. */
export interface PastRow {
	type: string;
	record: string;
	/** The change made it. */
	made: boolean;
	/** The change deleted it: all that it held. */
	deleted: Record<string, JsonValue> | null;
	/** Fields that were set. */
	set: [field: string, was: JsonValue, now: JsonValue][];
}

interface ChangeBy<By extends Road> {
	id: string;
	/** ISO 8601. */
	at: string;
	account: string | null;
	who: string | null;
	entryPoint: By;
	/** The last edit of living tables before it; null for none. */
	living: number | null;
	/** Null where it is not kept what was sent. */
	submission: Sent | null;
	rows: PastRow[];
}

/** A change that came in on a road. */
export type ChangeByRoad = ChangeBy<EntryPoint>;

/** A change; an edit of the model only took values, and runs no rule when it is made again. */
export type PastChange = ChangeByRoad | ChangeBy<'model'>;

/** A change that was refused. */
export type PastRefusal = Omit<ChangeByRoad, 'rows' | 'id' | 'living'>;

/** Where a period lies in history. */
export interface PastPeriod {
	/** Number of the first change that was made in it or later; null for none. */
	first: string | null;
	/** Of the last change in it; null for none. */
	last: string | null;
	/** Changes in it. */
	changes: number;
	/** Changes from its first until now: what records were is found through all of them. */
	until: number;
	/** Whether some of it is still stored as an earlier version stored it. */
	earlier: boolean;
}

/** Finds a period. @param from @param to ISO 8601, the latter left out; no more than `most` are counted */
export async function pastPeriod(
	db: Db,
	workspace: string,
	from: string,
	to: string,
	most: number
): Promise<PastPeriod> {
	const r = await db.query<PastPeriod>(
		`with p as (select min(id) as first, max(id) filter (where at < $3) as last from change where workspace = $1 and at >= $2)
		 select p.first::text, p.last::text,
		   (select count(*)::int from (select from change where workspace = $1 and id between p.first and p.last limit $4) x) as changes,
		   (select count(*)::int from (select from change where workspace = $1 and id >= p.first limit $4) x) as until,
		   exists (select from change_line where change >= p.first)
		     or exists (select from change where id >= p.first and quiet is not null) as earlier
		 from p`,
		[workspace, from, to, most + 1]
	);
	return r.rows[0];
}

/** Records that changes from a number on did something at, by type. */
export async function touchedSince(
	db: Db,
	workspace: string,
	first: string
): Promise<{ type: string; ids: string[] }[]> {
	const r = await db.query<{ type: string; ids: string[] }>(
		`select type, array_agg(distinct record::text) as ids from record_change h join change c on c.id = h.change
		 where h.change >= $2 and c.workspace = $1 group by type`,
		[workspace, first]
	);
	return r.rows;
}

/** Beyond every number. */
const FAR = '9000000000000000000';
/** Changes that come with one statement. */
const PAGE = 100;

/** Hands changes to a function in their order, from a first to a last one; or backwards, from the newest to the first. */
export async function eachChange(
	db: Db,
	workspace: string,
	{ first, last, backwards = false }: { first: string; last: string | null; backwards?: boolean },
	visit: (changes: PastChange[]) => Promise<void>
): Promise<void> {
	// the bounds are plain comparisons and the order is plain: each page is one stretch of the index
	const [order, beyond] = backwards ? ['desc', '<'] : ['asc', '>'];
	let seen = backwards ? FAR : '0';
	for (;;) {
		const r: { rows: PastChange[] } = await db.query<PastChange>(
			`with page as materialized (
				select * from change where workspace = $1 and id >= $2 and id <= $3 and id ${beyond} $4 order by id ${order} limit $5)
			 select p.id::text, ${isoExact('p.at')} as at, p.account::text, a.name as who, p.entry_point as "entryPoint", p.living, p.submission,
			   coalesce((select json_agg(json_build_object('type', h.type, 'record', h.record::text, 'made', h.made,
			     'deleted', (select q->2 from jsonb_array_elements(h.lines) q where q->>0 = 'deleted'),
			     'set', coalesce((select jsonb_agg(jsonb_build_array(q->>1, q->2, q->3))
			       from jsonb_array_elements(h.lines) q where q->>0 = 'set'), '[]'))
			     order by h.type, h.record) from record_change h where h.change = p.id), '[]') as rows
			 from page p left join account a on a.id = p.account order by p.id ${order}`,
			[workspace, first, last ?? FAR, seen, PAGE]
		);
		if (r.rows.length) await visit(r.rows);
		if (r.rows.length < PAGE) return;
		seen = r.rows[r.rows.length - 1].id;
	}
}

interface OneChangeBy<By extends Road> {
	record: string;
	/** ISO 8601. */
	at: string;
	who: string | null;
	entryPoint: By;
	made: boolean;
	/** Null where it is not kept what was sent. */
	submission: Sent | null;
	/** Fields that were set; by a rule where there is a claim. */
	set: [field: string, was: JsonValue, now: JsonValue, claim: string | null][];
}

/** A change of one record that came in on a road. */
export type ChangeOfByRoad = OneChangeBy<EntryPoint>;

/** A change of one record; an edit of the model only took values. */
export type ChangeOf = ChangeOfByRoad | OneChangeBy<'model'>;

/** The changes of some records of one type, in their order; of each the newest, up to so many and one more. */
export async function changesOf(
	db: Db,
	workspace: string,
	type: string,
	records: readonly string[],
	most: number
): Promise<ChangeOf[]> {
	const r = await db.query<ChangeOf>(
		`select h.record::text, ${isoExact('c.at')} as at, a.name as who, c.entry_point as "entryPoint",
		   h.made, c.submission,
		   coalesce((select jsonb_agg(jsonb_build_array(q->>1, q->2, q->3, q->>4))
		     from jsonb_array_elements(h.lines) q where q->>0 = 'set'), '[]') as set
		 from unnest($3::bigint[]) as v(record),
		   lateral (select * from record_change x where x.type = $2 and x.record = v.record order by x.change desc limit $4) h
		   join change c on c.id = h.change left join account a on a.id = c.account
		 where c.workspace = $1 order by h.record, h.change`,
		[workspace, type, records, most + 1]
	);
	return r.rows;
}

/** Changes that rules refused in a period, each once, in their order. @param from @param to ISO 8601, the latter left out */
export async function refusalsIn(
	db: Db,
	workspace: string,
	from: string,
	to: string,
	most: number
): Promise<PastRefusal[]> {
	const r = await db.query<PastRefusal>(
		`select ${isoExact('f.at')} as at, f.account::text, a.name as who, f.entry_point as "entryPoint", f.submission
		 from (select distinct on (at, account, submission) * from refusal
		       where workspace = $1 and at >= $2 and at < $3 order by at, account, submission, id limit $4) f
		 left join account a on a.id = f.account order by f.at, f.id`,
		[workspace, from, to, most]
	);
	return r.rows;
}

/** When the newest change was made, ISO 8601; null where there is none. */
export async function newestChange(db: Db, workspace: string): Promise<string | null> {
	const r = await db.query<{ at: string | null }>(
		`select ${isoExact('max(at)')} as at from change where workspace = $1`,
		[workspace]
	);
	return r.rows[0].at;
}
