/** Values that are out of line: as they were found, and which of them somebody left as they are. */
import type { JsonValue } from '../../core';
import type { LineIs } from '../../door/line';
import { iso } from './iso';
import { columnOf, tableOf } from './model';
import type { Db } from './pool';

/** A value that was found out of line. */
export interface LineRow {
	record: string;
	field: string;
	claim: string;
	stored: JsonValue;
	result: JsonValue;
	byHand: boolean;
	failed: string | null;
	/** Of the record when it was looked at. */
	version: number;
	/** The edit of a living table because of which it would be something else now. */
	edit?: number | null;
}

/**
 * Keeps what was found of some fields of some records, in the place of what was found before. What was left as it
 * is stays left as long as the value and what it would be are the same. Of a record that was saved since it was looked at nothing is
 * kept: whoever saves it meanwhile is waited for.
 * @param looked the records that were looked at, with their numbers; a stretch of numbers takes in what was deleted
 */
export async function keepLine(
	db: Db,
	workspace: string,
	type: string,
	looked: { ids: readonly string[] } | { low: string; high: string },
	fields: readonly string[],
	release: number,
	rows: readonly LineRow[]
): Promise<void> {
	const [which, values] =
		'ids' in looked
			? ['o.record = any($5::bigint[])', [looked.ids]]
			: ['o.record between $5 and $6', [looked.low, looked.high]];
	await db.query(
		`delete from out_of_line o where o.workspace = $1 and o.type = $2 and o.field = any($3) and ${which}
		   and not exists (select from jsonb_to_recordset($4::jsonb) as r(record bigint, field text) where r.record = o.record and r.field = o.field)`,
		[
			workspace,
			type,
			fields,
			JSON.stringify(rows.map(({ record, field }) => ({ record, field }))),
			...values
		]
	);
	if (!rows.length) return;
	await db.query(
		`insert into out_of_line as o (workspace, type, record, field, claim, stored, result, by_hand, failed, release, version, edit)
		 select $1, $2, r.record, r.field, r.claim, coalesce(r.stored, 'null'), coalesce(r.result, 'null'), r."byHand", r.failed, $3, r.version, r.edit
		 from (select x.* from jsonb_to_recordset($4::jsonb) as x(record bigint, field text, claim text, stored jsonb, result jsonb, "byHand" boolean, failed text, version int, edit int)
		   join ${tableOf(type)} t on t.workspace = $1 and t.id = x.record and t.version = x.version
		   order by x.record, x.field for share of t) r
		 on conflict (type, record, field) do update set claim = excluded.claim, stored = excluded.stored, result = excluded.result,
		   by_hand = excluded.by_hand, failed = excluded.failed, release = excluded.release, version = excluded.version, at = excluded.at,
		   edit = coalesce(excluded.edit, case when ${SAME} then o.edit end),
		   left_by = case when ${SAME} then o.left_by end, left_at = case when ${SAME} then o.left_at end,
		   left_why = case when ${SAME} then o.left_why end`,
		[workspace, type, release, JSON.stringify(rows)]
	);
}

const SAME =
	'o.stored = excluded.stored and o.result = excluded.result and o.failed is not distinct from excluded.failed';

/** A field that no rule holds at a value any more has nothing out of line. @param fields those that are held */
export async function forgetLine(
	db: Db,
	workspace: string,
	type: string,
	fields: readonly string[]
): Promise<void> {
	await db.query(
		'delete from out_of_line where workspace = $1 and type = $2 and not field = any($3)',
		[workspace, type, fields]
	);
}

/** Record types of which something was found. */
export async function linedTypes(db: Db, workspace: string): Promise<string[]> {
	const r = await db.query<{ type: string }>(
		'select distinct type from out_of_line where workspace = $1',
		[workspace]
	);
	return r.rows.map((x) => x.type);
}

/** Values that were written are what they are now: what was found of them no longer holds. */
export async function writtenOver(
	db: Db,
	workspace: string,
	written: readonly { type: string; id: string; fields: readonly string[] }[]
): Promise<void> {
	if (!written.length) return;
	const flat = written.flatMap(({ type, id, fields }) =>
		fields.map((field) => ({ type, record: id, field }))
	);
	await db.query(
		`delete from out_of_line where workspace = $1 and (type, record, field) in
		   (select w.type, w.record, w.field from jsonb_to_recordset($2::jsonb) as w(type text, record bigint, field text))`,
		[workspace, JSON.stringify(flat)]
	);
}

/** What of it is asked for, as SQL on `o`. */
export const LINE_IS: Readonly<Record<LineIs, string>> = {
	open: 'o.left_at is null and not o.by_hand and o.failed is null',
	hand: 'o.left_at is null and o.by_hand',
	failed: 'o.left_at is null and o.failed is not null',
	left: 'o.left_at is not null'
};

/** How many values of a field are out of line. */
export interface LineCount extends Record<LineIs, number> {
	type: string;
	field: string;
	/** The claim that would give them another value. */
	claim: string;
}

export async function countLine(db: Db, workspace: string): Promise<LineCount[]> {
	const counts = Object.entries(LINE_IS).map(
		([is, sql]) => `count(*) filter (where ${sql})::int as "${is}"`
	);
	const r = await db.query<LineCount>(
		`select o.type, o.field, o.claim, ${counts.join(', ')} from out_of_line o where o.workspace = $1
		 group by o.type, o.field, o.claim order by o.type, o.field, o.claim`,
		[workspace]
	);
	return r.rows;
}

/** A value out of line, with its record. */
export interface SeenLine extends LineRow {
	title: string;
	release: number;
	left: { by: string | null; at: string; why: string } | null;
	/** The edit of a living table that made it so. */
	since: { number: number; table: string; label: string } | null;
}

/** Values of a field that are out of line, in the order of their records' numbers. */
export async function readLine(
	db: Db,
	workspace: string,
	a: { type: string; title: string; field: string; is: LineIs; after: string; most: number }
): Promise<SeenLine[]> {
	const r = await db.query<
		Omit<SeenLine, 'left'> & { by: string | null; at: string | null; why: string | null }
	>(
		`select o.record::text, o.field, o.claim, o.stored, o.result, o.by_hand as "byHand", o.failed, o.version, o.release,
		   coalesce(r.${columnOf(a.title)}::text, 'No. ' || o.record) as title, a.name as by, ${iso('o.left_at')} as at, o.left_why as why,
		   case when e.number is not null then jsonb_build_object('number', e.number, 'table', e.tbl, 'label', e.label) end as since
		 from out_of_line o join ${tableOf(a.type)} r on r.workspace = $1 and r.id = o.record left join account a on a.id = o.left_by
		 left join living_edit e on e.workspace = $1 and e.number = o.edit
		 where o.workspace = $1 and o.type = $2 and o.field = $3 and o.record > $4 and ${LINE_IS[a.is]} order by o.record limit $5`,
		[workspace, a.type, a.field, a.after, a.most]
	);
	return r.rows.map(({ by, at, why, ...row }) => ({
		...row,
		left: at === null ? null : { by, at, why: why ?? '' }
	}));
}

/** A value of a record that is out of line. */
export type RecordLine = Pick<
	SeenLine,
	'field' | 'claim' | 'result' | 'failed' | 'byHand' | 'left'
>;

/** What of a record is out of line, in no order. */
export async function lineOfRecord(
	db: Db,
	workspace: string,
	type: string,
	record: string
): Promise<RecordLine[]> {
	const r = await db.query(
		`select o.field, o.claim, o.result, o.failed, o.by_hand as "byHand", a.name as by, ${iso('o.left_at')} as at, o.left_why as why
		 from out_of_line o left join account a on a.id = o.left_by where o.workspace = $1 and o.type = $2 and o.record = $3`,
		[workspace, type, record]
	);
	return r.rows.map(({ by, at, why, ...row }) => ({
		...row,
		left: at === null ? null : { by, at, why: why ?? '' }
	}));
}

/** Leaves values of a field as they are, or takes them up again. @returns how many */
export async function leaveLine(
	db: Db,
	workspace: string,
	a: {
		type: string;
		field: string;
		/** Null for all that are as asked. */
		ids: readonly string[] | null;
		is: LineIs;
		/** Null to take them up again. */
		why: string | null;
		account: string;
	}
): Promise<number> {
	const r = await db.query(
		`update out_of_line o set left_by = case when $5::text is null then null else $6::bigint end,
		   left_at = case when $5::text is null then null else now() end, left_why = $5
		 where o.workspace = $1 and o.type = $2 and o.field = $3 and ($4::bigint[] is null or o.record = any($4)) and ${LINE_IS[a.is]}`,
		[workspace, a.type, a.field, a.ids, a.why, a.account]
	);
	return r.rowCount ?? 0;
}

/** Takes a day as the one on which is looked; false where somebody else has. */
export async function takeDay(db: Db, workspace: string, day: string): Promise<boolean> {
	const r = await db.query(
		'update workspace set lined_on = $2 where id = $1 and lined_on is distinct from $2::date',
		[workspace, day]
	);
	return r.rowCount === 1;
}

/** Values that are open because of an edit of a living table, and that nobody set or kept: the records, by field. */
export async function openOfEdit(
	db: Db,
	workspace: string,
	edit: number
): Promise<{ type: string; field: string; ids: string[] }[]> {
	const r = await db.query<{ type: string; field: string; ids: string[] }>(
		`select o.type, o.field, array_agg(o.record::text order by o.record) as ids from out_of_line o
		 where o.workspace = $1 and o.edit = $2 and ${LINE_IS.open} group by o.type, o.field order by o.type, o.field`,
		[workspace, edit]
	);
	return r.rows;
}

/** Whether it was ever looked, and when it was last asked for what depends on the day. */
export async function lastDay(db: Db, workspace: string): Promise<string | null> {
	const r = await db.query<{ day: string | null }>(
		'select lined_on::text as day from workspace where id = $1',
		[workspace]
	);
	return r.rows[0]?.day ?? null;
}

/** For each of some changes, the fields of records that their sender kept against rules, as `type.record.field`. */
export async function keptBy(db: Db, changes: readonly string[]): Promise<Set<string>> {
	if (!changes.length) return new Set();
	const r = await db.query<{ key: string }>(
		`select c.id::text || ' ' || (r->>'type') || '.' || (r->>'record') || '.' || k as key
		 from change c, jsonb_array_elements(c.submission->'records') r, jsonb_array_elements_text(r->'keep') k
		 where c.id = any($1::bigint[]) and jsonb_typeof(r->'keep') = 'array'`,
		[changes]
	);
	return new Set(r.rows.map((x) => x.key));
}
