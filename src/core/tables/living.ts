/**
 * Living tables: their columns and keys are part of the draft and of releases, their rows are not. Rows are edited by those who
 * keep them, are in force at once, and stand by themselves: each has an identity, and its values by column, so that releases
 * with other columns read the same rows.
 */
import type { JsonValue } from '../document/json';
import type { ReferenceTable, Schema } from '../document/model';
import type { RuleSet } from '../document/rules';
import { indexTable, type TableFault } from './reference';

/** A row of a living table. */
export interface LivingRow {
	id: string;
	/** By the identity of the column; blank ones may be left out. */
	cells: Readonly<Record<string, JsonValue>>;
}

/** The rows of living tables as they stand at some time, by table. */
export type LivingRows = Readonly<Record<string, readonly LivingRow[]>>;

/** One row of an edit: what stood there, and what is to stand there. Null where there is none. */
export interface RowEdit {
	id: string;
	before: LivingRow['cells'] | null;
	after: LivingRow['cells'] | null;
}

/** Whether a table has its rows from outside the document: a document's own are those that it begins with. */
const readsRows = (t: ReferenceTable) => t.living === true && !t.rows.length;

const filled = new WeakMap<readonly LivingRow[], WeakMap<ReferenceTable, ReferenceTable>>();

/** A table with the rows that stand; the same object for the same two. */
function fill(table: ReferenceTable, rows: readonly LivingRow[]): ReferenceTable {
	let of = filled.get(rows);
	if (!of) filled.set(rows, (of = new WeakMap()));
	let made = of.get(table);
	if (!made) {
		const inColumns = columned(table.columns);
		of.set(table, (made = { ...table, rows: rows.map(inColumns) }));
	}
	return made;
}

const byColumns = new WeakMap<ReferenceTable['columns'], WeakMap<LivingRow, JsonValue[]>>();

/** Gives the values of a row in the order of columns: the same array for the same two, by which an index knows it again. */
function columned(columns: ReferenceTable['columns']): (row: LivingRow) => JsonValue[] {
	const made = byColumns.get(columns) ?? new WeakMap<LivingRow, JsonValue[]>();
	byColumns.set(columns, made);
	return (row) => {
		const had = made.get(row);
		if (had) return had;
		const values = columns.map((c) => (Object.hasOwn(row.cells, c.id) ? row.cells[c.id] : null));
		made.set(row, values);
		return values;
	};
}

/** Tables with the rows that stand, where they are living; the very same list where none is. */
export function tablesWithRows(
	tables: readonly ReferenceTable[],
	rows: LivingRows
): readonly ReferenceTable[] {
	const reads = (t: ReferenceTable) => readsRows(t) && Object.hasOwn(rows, t.id);
	if (!tables.some(reads)) return tables;
	return tables.map((t) => (reads(t) ? fill(t, rows[t.id]) : t));
}

/** A rule set with the rows of its living tables as they stand. */
export function withRows<S extends RuleSet>(set: S, rows: LivingRows): S {
	const tables = set.tables && tablesWithRows(set.tables, rows);
	return tables === set.tables ? set : { ...set, tables };
}

/** The same without them: what is stored of it. */
export const withoutRows = (t: ReferenceTable): ReferenceTable =>
	t.living && t.rows.length ? { ...t, rows: [] } : t;

/** What a row holds in the columns of a table, without what is blank. */
export const cellsOf = (
	{ columns }: ReferenceTable,
	row: readonly JsonValue[]
): Record<string, JsonValue> =>
	Object.fromEntries(
		columns.flatMap((c, i) => {
			const v = row[i] ?? null;
			return v === null || v === '' || (Array.isArray(v) && !v.length) ? [] : [[c.id, v]];
		})
	);

const text = (cells: LivingRow['cells'] | null) =>
	cells === null
		? null
		: JSON.stringify(
				Object.entries(cells)
					.filter(([, v]) => v !== null)
					.sort(([a], [b]) => (a < b ? -1 : 1))
			);

/** Whether two rows hold the same; null is no row. */
export const sameCells = (a: LivingRow['cells'] | null, b: LivingRow['cells'] | null): boolean =>
	a === b || text(a) === text(b);

/** Rows after an edit, and the parts of it that somebody else overtook: what they found no longer stands. */
export function editedRows(
	rows: readonly LivingRow[],
	edits: readonly RowEdit[]
): { rows: LivingRow[]; overtaken: RowEdit[] } {
	const at = new Map(rows.map((r) => [r.id, r]));
	const overtaken = edits.filter((e) => !sameCells(at.get(e.id)?.cells ?? null, e.before));
	if (overtaken.length) return { rows: [...rows], overtaken };
	for (const { id, after } of edits)
		if (after === null) at.delete(id);
		else at.set(id, { id, cells: after });
	return { rows: [...at.values()], overtaken };
}

/** How rows became others: what there is no more, and what is new or changed, with its place among those that there are. */
export interface RowsStep {
	gone: readonly string[];
	/** In the order of their places. */
	put: readonly { at: number; row: LivingRow }[];
}

/** Rows after a step; those that it does not concern are the very same. */
export function stepped(before: readonly LivingRow[], { gone, put }: RowsStep): LivingRow[] {
	const not = new Set([...gone, ...put.map((p) => p.row.id)]);
	const rows: LivingRow[] = [];
	let next = 0;
	const place = () => {
		while (next < put.length && put[next].at === rows.length) rows.push(put[next++].row);
	};
	place();
	for (const r of before)
		if (!not.has(r.id)) {
			rows.push(r);
			place();
		}
	return rows;
}

/** The columns that a row is found by, in the order of the keys. */
export const keyColumns = ({ keys }: ReferenceTable): string[] =>
	keys.flatMap((k) => (k.match === 'range' ? [k.from, k.to] : [k.column]));

/** What takes an edit back. */
export const turnedBack = (edits: readonly RowEdit[]): RowEdit[] =>
	edits.map(({ id, before, after }) => ({ id, before: after, after: before }));

/**
 * What makes some rows of others, as whoever brings a file means it: rows that are found by the same key are one and the same
 * row, told apart by their place among those of one key. What stands in columns that the table has no longer stays.
 * @param made gives the identity of a row that is new
 */
export function editsBetween(
	table: ReferenceTable,
	before: readonly LivingRow[],
	after: readonly Record<string, JsonValue>[],
	made: () => string
): RowEdit[] {
	const columns = keyColumns(table);
	const keyOf = (cells: LivingRow['cells']) => JSON.stringify(columns.map((c) => cells[c] ?? null));
	const had = new Map<string, LivingRow[]>();
	for (const r of before) {
		const key = keyOf(r.cells);
		const mine = had.get(key);
		if (mine) mine.push(r);
		else had.set(key, [r]);
	}
	const edits = after.flatMap((cells): RowEdit[] => {
		const one = had.get(keyOf(cells))?.shift();
		const after = one ? { ...beyond(table, one.cells), ...cells } : cells;
		if (one && sameCells(one.cells, after)) return [];
		return [{ id: one?.id ?? made(), before: one?.cells ?? null, after }];
	});
	const gone = [...had.values()].flat();
	return [...edits, ...gone.map((r) => ({ id: r.id, before: r.cells, after: null }))];
}

/**
 * What is wrong in rows as a table would read them, row by place.
 * @param schema with the model whose options and types the columns name
 */
export const rowFaults = (
	table: ReferenceTable,
	rows: readonly LivingRow[],
	schema: Schema
): readonly TableFault[] => indexTable(fill({ ...table, rows: [] }, rows), schema).faults;

/** What a row holds in columns that a table does not have. */
export function beyond({ columns }: ReferenceTable, cells: LivingRow['cells']): LivingRow['cells'] {
	const known = new Set(columns.map((c) => c.id));
	return Object.fromEntries(Object.entries(cells).filter(([id]) => !known.has(id)));
}

/** How many rows an edit adds, changes and removes. */
export function countEdits(edits: readonly RowEdit[]) {
	const count = (is: (e: RowEdit) => boolean) => edits.filter(is).length;
	return {
		added: count((e) => e.before === null),
		changed: count((e) => e.before !== null && e.after !== null),
		removed: count((e) => e.after === null)
	};
}
