/** Rehearsals in the database: what they came to, and the records behind it. */
import type {
	FollowsFrom,
	JsonValue,
	Rehearsal,
	Retold,
	RowEdit,
	RuleSet,
	Selection,
	Surprise,
	Unrehearsed
} from '../../core';
import { iso } from './iso';
import type { Db } from './pool';
import { hashOf } from './rules';

/** What came of a rehearsal, with what is told of it besides figures. */
export interface RehearsalResult extends Rehearsal {
	/** Of a replay what it tells besides. */
	replay?: Retold;
	surprises: Surprise[];
	follows: FollowsFrom;
	/** Edited rules of which it shows nothing, or not all. */
	unrehearsed: Unrehearsed[];
	/** Rules of either version that cannot be read as they stand, by name: they had no part in it. */
	faulty: { before: string[]; after: string[] };
	/** Names of the accounts that are told of. */
	names: Record<string, string>;
	/** The rules behind the claims that are told of, as they were called. */
	rules: Record<string, { id: string; name: string }>;
}

/** A period of calendar days in the workspace's zone, both included, as `2026-11-24`. */
export interface Period {
	from: string;
	to: string;
}

/** Stands for a version from a file, which has no number. */
export const FROM_FILE = -1;

/** A version from a file, and which of the two it is. */
export interface FileVersion {
	name: string;
	as: 'before' | 'after';
	/** Of its rules. */
	hash: string;
}

/**
 * Two versions, each the number of a release, null for the draft, 0 for no rules at all or {@link FROM_FILE}, and the
 * records that are asked; or, for a replay, the period whose changes are made again.
 */
export interface Asked {
	before: number | null;
	after: number | null;
	selection: Selection | null;
	period: Period | null;
	/** Rows that the later version finds in a living table in the place of those that stand. */
	rows?: { table: string; label: string; edits: RowEdit[] };
	/** Where one of the two is from a file. */
	file?: FileVersion;
}

export interface KeptRehearsal extends Omit<Asked, 'rows' | 'file'> {
	file: FileVersion | null;
	/** Rows that were put in the place of those that stand: of which table, how many, and a digest of them. */
	rows: { table: string; label: string; edits: number; hash: string } | null;
	id: string;
	/** ISO 8601. */
	at: string;
	by: string | null;
	/** Of all that it was made of. */
	hash: string;
	draftHash: string | null;
	/** Labels of the living tables whose rows were edited since it began, or were when it was made. */
	rowsSince: string[];
	result: RehearsalResult;
	/** Surprises that somebody looked at, by key. */
	looked: Record<string, { by: string; at: string }>;
}

/** One record behind what a rehearsal tells. */
export interface Behind {
	id: string;
	title: string;
	/**
	 * Of a value `stored`, `from` and `to`; of a refusal `text`; of a message `to`, `subject` and `text`. In a replay
	 * also when, by whom and by which road the change was made: `at`, `who`, `road`.
	 */
	doc: Record<string, JsonValue>;
}

/** Rehearsals that are kept of a workspace. */
const KEPT = 8;

const HEAD = `r.id::text, ${iso('r.ended_at')} as at, a.name as by, r.before, r.after, r.hash,
	r.draft_hash as "draftHash", r.selection, r.period, r.rows, r.file, r.looked,
	array(select distinct e.label from living_edit e
	      where e.workspace = r.workspace and e.number > r.living order by 1) as "rowsSince"`;
const FROM = 'from rehearsal r left join account a on a.id = r.account';

/** Begins to keep one; those that were never ended, and the oldest, go. */
export async function beginRehearsal(
	db: Db,
	r: Asked & {
		id: string;
		workspace: string;
		account: string | null;
		hash: string;
		draftHash: string | null;
		/** The last edit of living tables whose rows it finds. */
		living: number;
	}
): Promise<void> {
	await db.query(
		`delete from rehearsal where workspace = $1 and id not in (
		   select id from rehearsal where workspace = $1 and ended_at is not null order by at desc limit $2)
		 and not exists (select from job j where j.id = rehearsal.id and j.ended_at is null)`,
		[r.workspace, KEPT - 1]
	);
	await db.query(
		`insert into rehearsal (id, workspace, account, before, after, hash, draft_hash, selection, period, rows, file, living)
		 values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)`,
		[
			r.id,
			r.workspace,
			r.account,
			r.before,
			r.after,
			r.hash,
			r.draftHash,
			r.selection && JSON.stringify(r.selection),
			r.period && JSON.stringify(r.period),
			r.rows && JSON.stringify(rowsOf(r.rows)),
			r.file && JSON.stringify(r.file),
			r.living
		]
	);
}

/** What is kept of rows that are put in the place of others. */
const rowsOf = ({ table, label, edits }: NonNullable<Asked['rows']>): KeptRehearsal['rows'] => ({
	table,
	label,
	edits: edits.length,
	hash: hashOfEdits(table, edits)
});

/** A digest of an edit of rows: of two that are alike the same. */
export const hashOfEdits = (table: string, edits: readonly RowEdit[]): string =>
	hashOf([table, edits.map(({ id, before, after }) => [before && id, before, after])]);

/** Keeps the rules from a file until the job that asks for them begins. */
export async function keepSet(db: Db, job: string, set: RuleSet): Promise<void> {
	await db.query('insert into rehearsed_set (job, set) values ($1, $2)', [
		job,
		JSON.stringify(set)
	]);
}

/** Those rules. @throws when the job has none */
export async function readSet(db: Db, job: string): Promise<RuleSet> {
	const r = await db.query<{ set: RuleSet }>('select set from rehearsed_set where job = $1', [job]);
	if (!r.rows[0]) throw new Error(`There are no rules from a file for the job ${job}.`);
	return r.rows[0].set;
}

/** Keeps the records behind what a range came to. */
export async function keepBehind(
	db: Db,
	rehearsal: string,
	n: number,
	rows: readonly (Behind & { about: string })[]
): Promise<void> {
	if (!rows.length) return;
	await db.query(
		`insert into rehearsed (rehearsal, n, about, record, title, doc)
		 select $1, $2, x.about, x.id, x.title, x.doc
		 from jsonb_to_recordset($3::jsonb) as x(about text, id bigint, title text, doc jsonb)`,
		[rehearsal, n, JSON.stringify(rows)]
	);
}

/** Keeps what it came to. */
export async function endRehearsal(db: Db, id: string, result: RehearsalResult): Promise<void> {
	await db.query('update rehearsal set result = $2, ended_at = now() where id = $1', [
		id,
		JSON.stringify(result)
	]);
}

/** One that has ended. */
export async function readRehearsal(
	db: Db,
	workspace: string,
	id: string
): Promise<KeptRehearsal | null> {
	const r = await db.query<KeptRehearsal>(
		`select ${HEAD}, r.result ${FROM} where r.workspace = $1 and r.id = $2 and r.ended_at is not null`,
		[workspace, id]
	);
	return r.rows[0] ?? null;
}

/** What of a rehearsal is listed. */
export type RehearsalHead = Omit<KeptRehearsal, 'result'> & {
	records: number;
	surprises: Surprise[];
	/** What it looked at. */
	of: number;
};

const LISTED = `${HEAD}, (r.result->>'records')::int as records, (r.result->>'looked')::int as of,
	r.result->'surprises' as surprises`;

/** What a rehearsal came to, in a few figures. */
export interface RehearsalSaid {
	records: number;
	looked: number;
	fields: Pick<RehearsalResult['fields'][number], 'type' | 'field' | 'count' | 'overwritten'>[];
	refused: { claim: string; rule: string; count: number }[];
}

/** @returns null where it is not kept or has not ended */
export async function saidOfRehearsal(
	db: Db,
	workspace: string,
	id: string
): Promise<RehearsalSaid | null> {
	const kept = await readRehearsal(db, workspace, id);
	if (!kept) return null;
	const { records, looked, fields, refused, rules } = kept.result;
	return {
		records,
		looked,
		fields: fields.map(({ type, field, count, overwritten }) => ({
			type,
			field,
			count,
			overwritten
		})),
		refused: refused.map(({ claim, count }) => ({
			claim,
			rule: rules[claim]?.name ?? claim,
			count
		}))
	};
}

/** Those that have ended, the newest first. */
export async function listRehearsals(db: Db, workspace: string): Promise<RehearsalHead[]> {
	const r = await db.query<RehearsalHead>(
		`select ${LISTED} ${FROM} where r.workspace = $1 and r.ended_at is not null order by r.ended_at desc`,
		[workspace]
	);
	return r.rows;
}

/** The newest of the draft on all records, or on the changes of a period; null for none. */
export async function newestOfDraft(
	db: Db,
	workspace: string,
	on: 'records' | 'changes'
): Promise<RehearsalHead | null> {
	const r = await db.query<RehearsalHead>(
		`select ${LISTED} ${FROM} where r.workspace = $1 and r.ended_at is not null and r.after is null
		   and r.selection is null and r.file is null and (r.period is null) = $2 order by r.ended_at desc limit 1`,
		[workspace, on === 'records']
	);
	return r.rows[0] ?? null;
}

/**
 * The newest on all records of each release against the one in force, since that came in force; by the release.
 * What an edit of rows would change is none of them.
 */
export async function rehearsedReturns(
	db: Db,
	workspace: string,
	force: number
): Promise<Map<number, RehearsalHead>> {
	const r = await db.query<RehearsalHead>(
		`select distinct on (r.after) ${LISTED} ${FROM} where r.workspace = $1 and r.ended_at is not null and r.before = $2
		   and r.after is not null and r.selection is null and r.period is null and r.rows is null and r.file is null
		   and r.ended_at > (select max(at) from in_force_log where workspace = $1)
		 order by r.after, r.ended_at desc`,
		[workspace, force]
	);
	return new Map(r.rows.map((h) => [h.after!, h]));
}

/** Notes that somebody looked at a surprise. @returns whether there is such a rehearsal */
export async function noteLooked(
	db: Db,
	workspace: string,
	id: string,
	key: string,
	by: string | null
): Promise<boolean> {
	const r = await db.query(
		`update rehearsal set looked = case when $4::text is null then looked - $3
		   else looked || jsonb_build_object($3::text, jsonb_build_object('by', $4::text, 'at', ${iso('now()')})) end
		 where workspace = $1 and id = $2 and result->'surprises' @> jsonb_build_array(jsonb_build_object('key', $3::text))`,
		[workspace, id, key, by]
	);
	return r.rowCount === 1;
}

/** Which of the records behind something. */
export interface BehindAsked {
	about: string;
	/** Of a value, only those that move so. */
	from?: JsonValue;
	to?: JsonValue;
	/** Of a value, only those that were entered by somebody, or that come out blank. */
	only?: 'overwritten' | 'blanked';
	/** Of a number, only those whose new value lies so, the upper end left out. */
	least?: number;
	most?: number;
	/** Of a value, only those that this claim gives; null for those that none does. */
	claim?: string | null;
}

/** What is behind something, in its order. @param after the row to go on behind; null from the first */
export async function behind(
	db: Db,
	id: string,
	asked: BehindAsked,
	after: string | null,
	most: number
): Promise<(Behind & { row: string })[]> {
	const [n, place] = (after ?? '-1.0').split('.');
	const values: unknown[] = [id, asked.about, n, place, most];
	const where: string[] = [];
	const given = (v: unknown) => `$${values.push(v)}`;
	// of what is no number no size is asked
	const size = `case when doc->>'to' ~ '^-?[0-9]+(\\.[0-9]+)?$' then (doc->>'to')::numeric end`;
	if (asked.from !== undefined) where.push(`doc->'from' = ${given(JSON.stringify(asked.from))}`);
	if (asked.to !== undefined) where.push(`doc->'to' = ${given(JSON.stringify(asked.to))}`);
	if (asked.only === 'overwritten') where.push(`doc->'overwritten' = 'true'`);
	if (asked.only === 'blanked') where.push(`doc->'to' in ('null', '[]')`);
	if (asked.least !== undefined) where.push(`${size} >= ${given(asked.least)}`);
	if (asked.most !== undefined) where.push(`${size} < ${given(asked.most)}`);
	if (asked.claim !== undefined) where.push(`doc->'claim' = ${given(JSON.stringify(asked.claim))}`);
	const r = await db.query<Behind & { row: string }>(
		`select record::text as id, title, doc, n || '.' || place as row from rehearsed
		 where rehearsal = $1 and about = $2 and (n, place) > ($3, $4) ${where.map((w) => `and ${w}`).join(' ')}
		 order by n, place limit $5`,
		values
	);
	return r.rows;
}
