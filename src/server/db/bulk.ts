/** Bulk changes: what is done to many records, and for each of them what it would come to and what it came to. */
import type { JsonValue } from '../../core';
import type { BulkAsked } from '../../door/bulk';
import { HAD_SQL, type DeletedRecord } from './deleted';
import { iso, isoExact } from './iso';
import type { Db } from './pool';
import { tableOf } from './model';
import { MARKED_SQL, type KeptSetBy, type Marked } from './set-by';

export interface Bulk {
	id: string;
	workspace: string;
	account: string | null;
	by: string | null;
	/** ISO 8601. */
	at: string;
	type: string;
	/** Null for one that takes another back. */
	asked: BulkAsked | null;
	/** The edit of a living table after which it brings records into line: it is begun by itself. */
	edit: number | null;
	/** The bulk change that this one takes back, or the import. */
	undoes: string | null;
	undoesImport: { id: string; name: string } | null;
	/** The job of that. */
	undoesJob: string | null;
	/** The release by which it was looked at; null before. */
	release: number | null;
	/** The last field that had become another kind when it was looked at, by its number among these. */
	pastFields: string;
	/** How many lanes its records go in: those of different lanes touch nothing in common. */
	lanes: number;
	/** The jobs that looked at it and did it. */
	look: string | null;
	job: string | null;
	/** The one that takes this one back, where there is one that was begun. */
	undoneBy: string | null;
}

/** What becomes of a record. `moved`: somebody changed it since it was looked at, and it would come out otherwise. */
export const BULK_IS = ['changed', 'same', 'spared', 'refused', 'moved'] as const;
export type BulkIs = (typeof BULK_IS)[number];

/** What happened to a record, and the rule that gives a field a value by it. */
export interface FilledBy {
	/** ISO 8601. */
	at: string;
	who: string | null;
	rule: string;
	because: string;
}

export interface BulkOutcome {
	is: BulkIs;
	faults: { field: string | null; message: string }[];
	changes: {
		field: string;
		from: JsonValue;
		to: JsonValue;
		rule: string | null;
		because: string | null;
	}[];
	setAside: { field: string; sent: JsonValue; rule: string }[];
	advice: string[];
	/** Other records that it runs on to, messages that rules send. */
	reached: number;
	sent: number;
	/** What is changed had been set by a person. */
	byHand: boolean;
	/** What happened once, from which the value is filled. */
	event?: FilledBy;
	/** The record is deleted. */
	gone?: true;
	/** The record is made again. */
	again?: true;
}

/** A record of a bulk change, with what is sent to it. */
export interface BulkRow {
	n: number;
	type: string;
	record: string;
	title: string;
	version: number;
	sent: [field: string, value: JsonValue][];
	keep: string[];
	/** Of one that is taken back, or filled from history: whose each field is to be. */
	had: Record<string, KeptSetBy | null> | null;
	/** It is deleted: what is taken back made it. */
	removes: boolean;
	/** It is made again: what is taken back deleted it. */
	restores: boolean;
}

const BULK = `b.id::text, b.workspace, b.account::text, a.name as by, ${iso('b.at')} as at, b.type, b.asked,
	b.undoes::text, b.release, b.past_fields::text as "pastFields", b.edit, b.lanes,
	(select jsonb_build_object('id', i.id, 'name', i.name) from import i where i.id = b.undoes_import) as "undoesImport",
	coalesce((select u.job from bulk u where u.id = b.undoes), (select i.job from import i where i.id = b.undoes_import))::text as "undoesJob", b.look::text, b.job::text,
	(select u.id::text from bulk u where u.undoes = b.id and u.job is not null order by u.at desc limit 1) as "undoneBy"`;

export async function insertBulk(
	db: Db,
	b: {
		workspace: string;
		account: string;
		type: string;
		asked: BulkAsked | null;
		undoes?: string;
		undoesImport?: string;
		edit?: number;
	}
): Promise<string> {
	const r = await db.query<{ id: string }>(
		`insert into bulk (workspace, account, type, asked, undoes, undoes_import, edit)
		 values ($1, $2, $3, $4, $5, $6, $7) returning id::text`,
		[
			b.workspace,
			b.account,
			b.type,
			JSON.stringify(b.asked),
			b.undoes ?? null,
			b.undoesImport ?? null,
			b.edit ?? null
		]
	);
	return r.rows[0].id;
}

/** @param workspace whose it has to be; any for the worker */
export async function readBulk(db: Db, id: string, workspace?: string): Promise<Bulk | null> {
	const r = await db.query<Bulk>(
		`select ${BULK} from bulk b left join account a on a.id = b.account
		 where b.id = $1 and ($2::text is null or b.workspace = $2)`,
		[id, workspace ?? null]
	);
	return r.rows[0] ?? null;
}

/** Locks one, so that it is begun once. */
export async function lockBulk(db: Db, id: string): Promise<void> {
	await db.query('select 1 from bulk where id = $1 for update', [id]);
}

export async function noteBulkJob(
	db: Db,
	id: string,
	column: 'look' | 'job',
	job: string
): Promise<void> {
	await db.query(`update bulk set ${column} = $2 where id = $1`, [id, job]);
}

/** Takes away what was looked at, to look anew by a release and by fields as they are. */
export async function clearBulk(
	db: Db,
	id: string,
	by: { release: number; pastFields: string }
): Promise<void> {
	await db.query('delete from bulk_row where bulk = $1', [id]);
	await db.query('update bulk set release = $2, past_fields = $3, lanes = 1 where id = $1', [
		id,
		by.release,
		by.pastFields
	]);
}

/** Keeps in which lane each record goes. */
export async function keepLanes(
	db: Db,
	id: string,
	{ lanes, of }: { lanes: number; of: readonly { n: number; lane: number }[] }
): Promise<void> {
	await db.query('update bulk set lanes = $2 where id = $1', [id, lanes]);
	await db.query(
		`update bulk_row r set lane = l.lane from unnest($2::int[], $3::int[]) as l(n, lane)
		 where r.bulk = $1 and r.n = l.n`,
		[id, of.map((x) => x.n), of.map((x) => x.lane)]
	);
}

/** Keeps records with what each would come to. */
export async function keepLooks(
	db: Db,
	id: string,
	rows: readonly (BulkRow & { look: BulkOutcome })[]
): Promise<void> {
	await db.query(
		`insert into bulk_row (bulk, n, type, record, title, version, sent, keep, had, removes, restores, look)
		 select $1, r.n, r.type, r.record, r.title, r.version, r.sent,
		   array(select jsonb_array_elements_text(r.keep)), nullif(r.had, 'null'), r.removes, r.restores, r.look
		 from jsonb_to_recordset($2::jsonb) as r(n int, type text, record bigint, title text, version int, sent jsonb, keep jsonb, had jsonb, removes boolean, restores boolean, look jsonb)
		 on conflict (bulk, type, record) do nothing`,
		[id, JSON.stringify(rows)]
	);
}

const ROW = 'n, type, record::text, title, version, sent, keep, had, removes, restores';

/** Records of a lane that would change and have not come to anything yet, in their order. */
export async function nextBulkRows(
	db: Db,
	id: string,
	lane: number,
	most: number
): Promise<(BulkRow & { look: BulkOutcome })[]> {
	const r = await db.query<BulkRow & { look: BulkOutcome }>(
		`select ${ROW}, look from bulk_row where bulk = $1 and lane = $2 and outcome is null and look->>'is' = 'changed' order by n limit $3`,
		[id, lane, most]
	);
	return r.rows;
}

/** Keeps what became of records. @returns how many had none yet */
export async function keepBulkOutcomes(
	db: Db,
	id: string,
	outcomes: readonly { n: number; outcome: BulkOutcome }[]
): Promise<number> {
	const r = await db.query(
		`update bulk_row r set outcome = o.outcome from jsonb_to_recordset($2::jsonb) as o(n int, outcome jsonb)
		 where r.bulk = $1 and r.n = o.n and r.outcome is null`,
		[id, JSON.stringify(outcomes)]
	);
	return r.rowCount ?? 0;
}

/** What the looks, or the outcomes, came to. */
export interface BulkTally {
	is: Record<BulkIs, number>;
	/** Records that people had set, among those that change. */
	byHand: number;
	reached: number;
	sent: number;
}

export async function tallyBulk(
	db: Db,
	id: string,
	column: 'look' | 'outcome'
): Promise<BulkTally> {
	const r = await db.query<{ is: BulkIs; n: number; hand: number; reached: number; sent: number }>(
		`select ${column}->>'is' as is, count(*)::int as n, count(*) filter (where (${column}->>'byHand')::boolean)::int as hand,
		   coalesce(sum((${column}->>'reached')::int), 0)::int as reached, coalesce(sum((${column}->>'sent')::int), 0)::int as sent
		 from bulk_row where bulk = $1 and ${column} is not null group by 1`,
		[id]
	);
	const is = Object.fromEntries(BULK_IS.map((k) => [k, 0])) as Record<BulkIs, number>;
	for (const x of r.rows) is[x.is] = x.n;
	const changed = r.rows.find((x) => x.is === 'changed');
	return {
		is,
		byHand: changed?.hand ?? 0,
		reached: changed?.reached ?? 0,
		sent: changed?.sent ?? 0
	};
}

/** What a field becomes, of all records together. */
export interface BulkMove {
	type: string;
	field: string;
	/** A rule does it; else it is what is sent. */
	rule: string | null;
	from: JsonValue;
	to: JsonValue;
	records: number;
}

/** What becomes what, most often first. @param most of each field */
export async function movesOf(
	db: Db,
	id: string,
	column: 'look' | 'outcome',
	most: number
): Promise<{
	moves: BulkMove[];
	fields: { type: string; field: string; kinds: number; records: number }[];
}> {
	const r = await db.query<BulkMove & { place: number; kinds: number; all: number }>(
		`with m as (
		   select r.type, c->>'field' as field, c->>'rule' as rule, c->'from' as "from", c->'to' as "to", count(*)::int as records
		   from bulk_row r, jsonb_array_elements(r.${column}->'changes') c
		   where r.bulk = $1 and r.${column}->>'is' = 'changed' group by 1, 2, 3, 4, 5),
		 p as (select m.*, row_number() over (partition by type, field order by records desc, "from", "to")::int as place,
		   count(*) over (partition by type, field)::int as kinds, sum(records) over (partition by type, field)::int as all from m)
		 select * from p where place <= $2 order by (rule is not null), type, "all" desc, field, place`,
		[id, most]
	);
	const fields = r.rows
		.filter((x) => x.place === 1)
		.map(({ type, field, kinds, all }) => ({ type, field, kinds, records: all }));
	return {
		moves: r.rows.map(({ type, field, rule, from, to, records }) => ({
			type,
			field,
			rule,
			from,
			to,
			records
		})),
		fields
	};
}

export interface SeenBulkRow extends BulkRow {
	outcome: BulkOutcome;
}

/** Records with what they would come to, or came to. @param is only those */
export async function readBulkRows(
	db: Db,
	id: string,
	o: {
		column: 'look' | 'outcome';
		is: BulkIs | null;
		/** Only those in which this becomes that. */
		move?: { field: string; from: JsonValue; to: JsonValue } | null;
		after: number;
		most: number;
	}
): Promise<SeenBulkRow[]> {
	const r = await db.query<SeenBulkRow>(
		`select ${ROW}, ${o.column} as outcome from bulk_row
		 where bulk = $1 and n > $2 and ${o.column} is not null and ($3::text is null or ${o.column}->>'is' = $3)
		   and ($5::jsonb is null or ${o.column}->'changes' @> $5) order by n limit $4`,
		[id, o.after, o.is, o.most, o.move ? JSON.stringify([o.move]) : null]
	);
	return r.rows;
}

/** What a job left in a record: for each field what it had been before, and what the job made it. */
export interface LeftByJob {
	type: string;
	record: string;
	fields: Record<string, { was: JsonValue; now: JsonValue; had: Marked | null }>;
}

const LEFT = `select h.type, h.record::text, jsonb_agg(jsonb_build_object('field', h.field, 'was', h.was, 'now', h.now,
	  'had', ${MARKED_SQL})
	order by h.change) as lines
	from history_line h join change c on c.id = h.change`;

/** A record that the job made is not set back, field by field: it is deleted. */
const NOT_MADE = `not exists (select from record_change m join change mc on mc.id = m.change
	where m.type = h.type and m.record = h.record and m.made and mc.job = $2)`;

/** What the changes of a job did to records, so many at a time, by type and number. */
export async function leftByJob(
	db: Db,
	workspace: string,
	job: string,
	after: { type: string; record: string } | null,
	most: number
): Promise<LeftByJob[]> {
	const r = await db.query<LeftRow>(
		`${LEFT} where c.workspace = $1 and c.job = $2 and h.outcome = 'set' and ${NOT_MADE} and ($3::text is null or (h.type, h.record) > ($3, $4::bigint))
		 group by h.type, h.record order by h.type, h.record limit $5`,
		[workspace, job, after?.type ?? null, after?.record ?? null, most]
	);
	return r.rows.map(leftOf);
}

/** What the job that a bulk change takes back did to some records. */
export async function leftByJobOf(
	db: Db,
	bulk: Bulk,
	type: string,
	ids: readonly string[]
): Promise<LeftByJob[]> {
	const r = await db.query<LeftRow>(
		`${LEFT} where c.workspace = $1 and c.job = $2 and h.outcome = 'set' and ${NOT_MADE}
		   and h.type = $3 and h.record = any($4::bigint[]) group by h.type, h.record`,
		[bulk.workspace, bulk.undoesJob, type, ids]
	);
	return r.rows.map(leftOf);
}

interface LeftRow {
	type: string;
	record: string;
	lines: { field: string; was: JsonValue; now: JsonValue; had: Marked | null }[];
}

function leftOf({ type, record, lines }: LeftRow): LeftByJob {
	const fields: LeftByJob['fields'] = {};
	for (const { field, was, now, had } of lines) {
		const first = fields[field];
		fields[field] = first ? { ...first, now } : { was, now, had };
	}
	return { type, record, fields };
}

/** Gives values back to whoever had set them; null for nobody known. */
export async function restoreSetBy(
	db: Db,
	workspace: string,
	type: string,
	rows: readonly { record: string; had: Record<string, KeptSetBy | null> }[]
): Promise<void> {
	await db.query(
		`update ${tableOf(type)} r set set_by = (r.set_by - array(select k from jsonb_each(v.had) e(k, x) where x = 'null'))
		   || coalesce((select jsonb_object_agg(k, x) from jsonb_each(v.had) e(k, x) where x <> 'null'), '{}')
		 from jsonb_to_recordset($2::jsonb) as v(record bigint, had jsonb) where r.workspace = $1 and r.id = v.record`,
		[workspace, JSON.stringify(rows)]
	);
}

/** Records that the changes of a job made, so many at a time, the newest first. */
export async function madeByJob(
	db: Db,
	workspace: string,
	job: string,
	before: { type: string; record: string } | null,
	most: number
): Promise<{ type: string; record: string }[]> {
	const r = await db.query<{ type: string; record: string }>(
		`select h.type, h.record::text from record_change h join change c on c.id = h.change
		 where c.workspace = $1 and c.job = $2 and h.made and ($3::text is null or (h.type, h.record) < ($3, $4::bigint))
		 order by h.type desc, h.record desc limit $5`,
		[workspace, job, before?.type ?? null, before?.record ?? null, most]
	);
	return r.rows;
}

/** Records that the changes of a job deleted, with what they held and by whom, so many at a time. */
export async function deletedByJob(
	db: Db,
	workspace: string,
	job: string,
	after: { type: string; record: string } | null,
	most: number
): Promise<DeletedRecord[]> {
	const r = await db.query<DeletedRecord>(
		`select h.type, h.record::text, ${isoExact('c.at')} as at, h.was,
		   ${HAD_SQL}
		 from history_line h join change c on c.id = h.change
		 where c.workspace = $1 and c.job = $2 and h.outcome = 'deleted' and ($3::text is null or (h.type, h.record) > ($3, $4::bigint))
		 order by h.type, h.record limit $5`,
		[workspace, job, after?.type ?? null, after?.record ?? null, most]
	);
	return r.rows;
}

/** Which of some records that a job made somebody edited otherwise since: what was before it was made again is no edit. */
export async function editedBeside(
	db: Db,
	job: string,
	type: string,
	ids: readonly string[]
): Promise<Set<string>> {
	const r = await db.query<{ record: string }>(
		`select distinct h.record::text from history_line h join change c on c.id = h.change
		 where h.type = $2 and h.record = any($3::bigint[]) and h.outcome = 'set' and h.claim is null and c.job is distinct from $1
		   and h.change > coalesce((select max(m.change) from record_change m join change mc on mc.id = m.change
		     where m.type = h.type and m.record = h.record and m.made and mc.job = $1), 0)`,
		[job, type, ids]
	);
	return new Set(r.rows.map((x) => x.record));
}

/** The one by which an import was taken back; null where it was not. */
export async function backOfImport(db: Db, id: string): Promise<string | null> {
	const r = await db.query<{ id: string }>(
		'select id::text from bulk where undoes_import = $1 and job is not null order by at desc limit 1',
		[id]
	);
	return r.rows[0]?.id ?? null;
}

/** How many messages left with the changes of a job. */
export async function sentWithJob(db: Db, workspace: string, job: string): Promise<number> {
	const r = await db.query<{ n: number }>(
		`select count(*)::int as n from outbox o join change c on c.id = o.change
		 where c.workspace = $1 and c.job = $2 and o.status = 'sent'`,
		[workspace, job]
	);
	return r.rows[0].n;
}
