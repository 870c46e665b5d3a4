/** Rows of living tables: as they stand, as they stood after any edit, the edits, and who may make them. */
import type { LivingRow, LivingRows, RowEdit, RowsStep } from '../../core';
import { countEdits } from '../../core';
import { iso } from './iso';
import type { Db } from './pool';

/** The state of the rows after an edit: its number, 0 before any, and what tells it from one that came to nothing. */
export interface RowsState {
	number: number;
	mark: string;
}

/** The rows as they stand. */
export async function lastEdit(db: Db, workspace: string): Promise<RowsState> {
	const r = await db.query<RowsState>(
		'select number, mark::text from living_edit where workspace = $1 order by number desc limit 1',
		[workspace]
	);
	return r.rows[0] ?? BEGINNING;
}

const BEGINNING: RowsState = { number: 0, mark: '' };

/** A row with its place among those of its table. */
interface Placed extends LivingRow {
	place: number;
}

interface Known extends RowsState {
	rows: Readonly<Record<string, readonly Placed[]>>;
}
/** What was read last, by workspace: later rows are read by their difference. */
const known = new Map<string, Known>();

/** The rows of all living tables as they stand, or as they stood after an edit. */
export async function rowsAt(
	db: Db,
	workspace: string,
	at?: RowsState | number
): Promise<RowsState & { rows: LivingRows }> {
	const state =
		at === undefined
			? await lastEdit(db, workspace)
			: typeof at === 'number'
				? await stateOf(db, workspace, at)
				: at;
	const had = known.get(workspace);
	if (had?.mark === state.mark) return had;
	const onwards =
		had !== undefined &&
		had.number < state.number &&
		(await stateOf(db, workspace, had.number)).mark === had.mark;
	const { number, mark } = state;
	const rows = onwards
		? await later(db, workspace, had, number)
		: await whole(db, workspace, number);
	const made = { number, mark, rows };
	// what is long past is asked for by replays only, each piece once; what an edit that failed left is not what stands
	if (typeof at !== 'number' || !had || onwards) known.set(workspace, made);
	return made;
}

async function stateOf(db: Db, workspace: string, number: number): Promise<RowsState> {
	const r = await db.query<RowsState>(
		'select number, mark::text from living_edit where workspace = $1 and number = $2',
		[workspace, number]
	);
	return r.rows[0] ?? BEGINNING;
}

/** What tells the last edit of each of some tables, as of an edit. */
export async function lastMarks(
	db: Db,
	workspace: string,
	tables: readonly string[],
	at: number
): Promise<Record<string, string>> {
	const r = await db.query<{ id: string; mark: string }>(
		`select t.id, e.mark::text from unnest($2::text[]) as t(id), lateral (
		   select mark from living_edit where workspace = $1 and tbl = t.id and number <= $3
		   order by number desc limit 1) e`,
		[workspace, tables, at]
	);
	return Object.fromEntries(r.rows.map(({ id, mark }) => [id, mark]));
}

/** Most rows of a step; where more became others, all are told. */
const MOST_STEP = 2000;

/**
 * The rows of a table as one of its edits left them; null where that is no edit of it.
 * @param mark what tells the edit
 * @param since what tells an earlier one: if few rows became others since, only these
 */
export async function rowsAfter(
	db: Db,
	workspace: string,
	table: string,
	mark: string,
	since: string | null = null
): Promise<readonly LivingRow[] | RowsStep | null> {
	const r = await db.query<RowsState>(
		'select number, mark::text from living_edit where workspace = $1 and tbl = $2 and mark::text = any($3)',
		[workspace, table, [mark, since]]
	);
	const numberOf = (of: string | null) => r.rows.find((e) => e.mark === of)?.number;
	const [number, from] = [numberOf(mark), numberOf(since)];
	if (number === undefined) return null;
	const now = await rowsAt(db, workspace);
	const stands = (await lastMarks(db, workspace, [table], now.number))[table] === mark;
	if (!stands) return (await rowsAt(db, workspace, number)).rows[table];
	const rows = now.rows[table];
	if (from === undefined || from > number) return rows;
	const changed = await db.query<{ id: string }>(
		`select distinct id from living_row
		 where workspace = $1 and tbl = $2 and ((since > $3 and since <= $4) or (until > $3 and until <= $4))
		 limit $5`,
		[workspace, table, from, number, MOST_STEP + 1]
	);
	if (changed.rows.length > MOST_STEP) return rows;
	const gone = new Set(changed.rows.map((c) => c.id));
	const put = rows.flatMap((row, at) => (gone.delete(row.id) ? [{ at, row }] : []));
	return { gone: [...gone], put };
}

async function whole(db: Db, workspace: string, at: number): Promise<Known['rows']> {
	const r = await db.query<{ tbl: string } & Placed>(
		`select tbl, id, cells, place::float8 from living_row
		 where workspace = $1 and since <= $2 and (until is null or until > $2) order by tbl, place`,
		[workspace, at]
	);
	const out: Record<string, Placed[]> = {};
	for (const { tbl, ...row } of r.rows) (out[tbl] ??= []).push(row);
	// a table whose last row was taken away has none, and is known to
	const empty = await db.query<{ tbl: string }>(
		'select distinct tbl from living_edit where workspace = $1 and number <= $2',
		[workspace, at]
	);
	for (const { tbl } of empty.rows) out[tbl] ??= [];
	return out;
}

/** Tables that no edit concerned keep the very same rows, and so their index. */
async function later(db: Db, workspace: string, had: Known, at: number): Promise<Known['rows']> {
	const edits = await db.query<{ tbl: string }>(
		'select distinct tbl from living_edit where workspace = $1 and number > $2 and number <= $3',
		[workspace, had.number, at]
	);
	const rows = await db.query<
		{ tbl: string; cells: LivingRow['cells'] | null } & Omit<Placed, 'cells'>
	>(
		`select tbl, id, min(place)::float8 as place, (array_agg(cells order by since desc) filter (where since <= $3 and (until is null or until > $3)))[1] as cells
		 from living_row where workspace = $1 and ((since > $2 and since <= $3) or (until > $2 and until <= $3))
		 group by tbl, id`,
		[workspace, had.number, at]
	);
	const out: Record<string, readonly Placed[]> = { ...had.rows };
	for (const { tbl } of edits.rows) {
		const mine = new Map((out[tbl] ?? []).map((r) => [r.id, r]));
		for (const r of rows.rows)
			if (r.tbl !== tbl) continue;
			else if (r.cells === null) mine.delete(r.id);
			else mine.set(r.id, { id: r.id, cells: r.cells, place: r.place });
		out[tbl] = [...mine.values()].sort((a, b) => a.place - b.place);
	}
	return out;
}

/** An edit of the rows of a table, as it is stored. */
export interface EditToStore {
	table: string;
	label: string;
	account: string | null;
	why?: string;
	release?: number;
	undoes?: number;
	brings?: boolean;
	edits: readonly RowEdit[];
}

/** Stores an edit whose rows were found as it says; rows must be locked. @returns its number */
export async function storeEdit(db: Db, workspace: string, e: EditToStore): Promise<number> {
	const { added, changed, removed } = countEdits(e.edits);
	const r = await db.query<{ number: number }>(
		`insert into living_edit (workspace, number, tbl, label, account, why, release, undoes, brings, added, changed, removed)
		 select $1, coalesce(max(number), 0) + 1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11 from living_edit where workspace = $1
		 returning number`,
		[
			workspace,
			e.table,
			e.label,
			e.account,
			e.why ?? '',
			e.release ?? null,
			e.undoes ?? null,
			e.brings ?? false,
			added,
			changed,
			removed
		]
	);
	const { number } = r.rows[0];
	await db.query(
		'update living_row set until = $4 where workspace = $1 and tbl = $2 and id = any($3) and until is null',
		[workspace, e.table, e.edits.filter((x) => x.before).map((x) => x.id), number]
	);
	const made = e.edits.filter((x) => x.after);
	await db.query(
		`insert into living_row (workspace, tbl, id, since, cells, place)
		 select $1, $2, v.id, $3, v.cells,
		   coalesce((select o.place from living_row o where o.workspace = $1 and o.tbl = $2 and o.id = v.id limit 1),
		     nextval(pg_get_serial_sequence('living_row', 'place')))
		 from rows from (unnest($4::text[]), jsonb_array_elements($5::jsonb)) with ordinality as v(id, cells, n) order by v.n`,
		[workspace, e.table, number, made.map((x) => x.id), JSON.stringify(made.map((x) => x.after))]
	);
	return number;
}

/** Notes the job that looks which records an edit concerns. */
export async function noteEditLook(
	db: Db,
	workspace: string,
	number: number,
	job: string
): Promise<void> {
	await db.query('update living_edit set look = $3 where workspace = $1 and number = $2', [
		workspace,
		number,
		job
	]);
}

/** An edit of the rows of a table. */
export interface LivingEdit {
	number: number;
	table: string;
	label: string;
	/** ISO 8601. */
	at: string;
	by: string | null;
	account: string | null;
	why: string;
	release: number | null;
	undoes: number | null;
	/** The edit that takes this one back. */
	undoneBy: number | null;
	added: number;
	changed: number;
	removed: number;
	brings: boolean;
	/** The job that looks which records it concerns, and how it stands. */
	look: string | null;
	looked: string | null;
	/** Values that are open because of it. */
	open: number;
	/** The bulk changes that brought records into line. */
	bulks: { id: string; type: string; field: string; state: string | null; n: number }[];
}

const EDIT = `select e.number, e.tbl as "table", e.label, ${iso('e.at')} as at, a.name as by, e.account::text, e.why, e.release, e.undoes,
	(select u.number from living_edit u where u.workspace = e.workspace and u.undoes = e.number order by u.number limit 1) as "undoneBy",
	e.added, e.changed, e.removed, e.brings, e.look::text, j.state as looked,
	(select count(*)::int from out_of_line o where o.workspace = e.workspace and o.edit = e.number and o.left_at is null) as open,
	coalesce((select jsonb_agg(jsonb_build_object('id', b.id, 'type', b.type, 'field', b.asked->'does'->>'field', 'state', bj.state,
	    'n', case when b.job is null then 0 else bj.done end) order by b.at)
	  from bulk b left join job bj on bj.id = coalesce(b.job, b.look) where b.workspace = e.workspace and b.edit = e.number), '[]') as bulks
	from living_edit e left join account a on a.id = e.account left join job j on j.id = e.look`;

/** Edits of a table, the newest first. */
export async function listEdits(
	db: Db,
	workspace: string,
	table: string,
	most: number
): Promise<LivingEdit[]> {
	const r = await db.query<LivingEdit>(
		`${EDIT} where e.workspace = $1 and e.tbl = $2 order by e.number desc limit $3`,
		[workspace, table, most]
	);
	return r.rows;
}

/** One edit; null where there is none. */
export async function readEdit(
	db: Db,
	workspace: string,
	number: number
): Promise<LivingEdit | null> {
	const r = await db.query<LivingEdit>(`${EDIT} where e.workspace = $1 and e.number = $2`, [
		workspace,
		number
	]);
	return r.rows[0] ?? null;
}

/** What an edit did row by row. */
export async function editedBy(
	db: Db,
	workspace: string,
	table: string,
	number: number
): Promise<RowEdit[]> {
	const r = await db.query<RowEdit>(
		`select coalesce(n.id, o.id) as id, o.cells as before, n.cells as after
		 from (select id, cells, place from living_row where workspace = $1 and tbl = $2 and since = $3) n
		 full join (select id, cells, place from living_row where workspace = $1 and tbl = $2 and until = $3) o on o.id = n.id
		 order by coalesce(n.place, o.place)`,
		[workspace, table, number]
	);
	return r.rows;
}

/** Who last made rows what they are, by row, with when. */
export async function lastOf(
	db: Db,
	workspace: string,
	table: string,
	ids: readonly string[]
): Promise<Record<string, { by: string | null; at: string }>> {
	const r = await db.query<{ id: string; by: string | null; at: string }>(
		`select distinct on (r.id) r.id, a.name as by, ${iso('e.at')} as at from living_row r
		 join living_edit e on e.workspace = r.workspace and e.number = coalesce(r.until, r.since)
		 left join account a on a.id = e.account
		 where r.workspace = $1 and r.tbl = $2 and r.id = any($3) order by r.id, r.since desc`,
		[workspace, table, ids]
	);
	return Object.fromEntries(r.rows.map(({ id, by, at }) => [id, { by, at }]));
}

/** The accounts that may edit tables, by table. */
export async function readEditors(db: Db, workspace: string): Promise<Record<string, string[]>> {
	const r = await db.query<{ tbl: string; accounts: string[] }>(
		`select e.tbl, array_agg(e.account::text order by a.name) as accounts from living_editor e
		 join account a on a.id = e.account and a.retired_at is null where e.workspace = $1 group by e.tbl`,
		[workspace]
	);
	return Object.fromEntries(r.rows.map((x) => [x.tbl, x.accounts]));
}

/** Says who may edit a table from now on, and who no more. */
export async function changeEditors(
	db: Db,
	workspace: string,
	table: string,
	{ add, remove }: { add: readonly string[]; remove: readonly string[] }
): Promise<void> {
	await db.query(
		'delete from living_editor where workspace = $1 and tbl = $2 and account = any($3::bigint[])',
		[workspace, table, remove]
	);
	await db.query(
		`insert into living_editor (workspace, tbl, account)
		 select $1, $2, id from account where workspace = $1 and id = any($3::bigint[]) on conflict do nothing`,
		[workspace, table, add]
	);
}
