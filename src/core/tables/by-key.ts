/** Rows as another system sends them: found by the values of their keys, with no identity of ours. */
import type { JsonValue } from '../document/json';
import type { ReferenceTable, Schema } from '../document/model';
import { fromJson, toJson } from '../fields/codec';
import { keyColumns, sameCells, type LivingRow, type RowEdit } from './living';

/** Columns of a row, some or all of them, by identity; a number may come as one. */
export type SentRow = Readonly<Record<string, JsonValue | number>>;

/** What somebody sent of a table. */
export interface SentRows {
	/** Rows that are to be there; what they do not name stays as it is. */
	rows: readonly SentRow[];
	/** Rows that are not to be there, by their keys. */
	remove: readonly SentRow[];
}

/** What it comes to. */
export interface RowsByKey {
	edits: RowEdit[];
	/** Those of `remove` that no row is found by, zero-based. */
	notThere: number[];
	/** Rows that stand otherwise than the sender saw them, of those that would be edited: the row, and its place in what was sent. */
	overtaken: { id: string; place: string }[];
}

/**
 * The edits that rows come to that are sent by their keys.
 * @param stands the rows that they are held against
 * @param made gives the identity of a row that is new
 * @param seen the rows as the sender saw them; left out where that does not matter
 * @returns a text that names the place where something does not fit
 */
export function editsByKey(
	table: ReferenceTable,
	schema: Schema,
	stands: readonly LivingRow[],
	{ rows, remove }: SentRows,
	made: () => string,
	seen: readonly LivingRow[] = stands
): RowsByKey | string {
	const columns = new Map(table.columns.map((c) => [c.id, c]));
	const keys = keyColumns(table);
	const named = keys.map((k) => columns.get(k)?.label ?? k).join(', ');
	if (!keys.length) return `“${table.label}” has no key by which a row could be found.`;
	const keyOf = (cells: LivingRow['cells']) => JSON.stringify(keys.map((k) => cells[k] ?? null));
	const found = (all: readonly LivingRow[]) => {
		const at = new Map<string, LivingRow | 'several'>();
		for (const r of all) {
			const key = keyOf(r.cells);
			at.set(key, at.has(key) ? 'several' : r);
		}
		return at;
	};
	const had = found(stands);
	const saw = seen === stands ? had : found(seen);

	const first = new Map<string, string>();
	/** The values of a row as they are stored, and the row that stands there. */
	function read(sent: SentRow, place: string) {
		const cells: Record<string, JsonValue> = {};
		for (const [id, v] of Object.entries(sent)) {
			const column = columns.get(id);
			if (!column) return `${place}: “${table.label}” has no column “${id}”.`;
			const value = fromJson({ group: '', ...column }, v, schema);
			if (!value.ok) return `${place}: ${value.message}`;
			cells[id] = toJson(value.value);
		}
		const missing = keys.find((k) => !Object.hasOwn(sent, k));
		if (missing !== undefined)
			return `${place} does not say ${columns.get(missing)?.label ?? missing} (“${missing}”): a row is found by ${named}.`;
		const key = keyOf(cells);
		const twice = first.get(key);
		if (twice !== undefined) return `${place} is the same row as ${twice}.`;
		first.set(key, place);
		const row = had.get(key);
		if (row === 'several')
			return `${place}: several rows stand at these keys. Edit them on the page of the table.`;
		return { cells, row, saw: saw.get(key) };
	}

	const out: RowsByKey = { edits: [], notThere: [], overtaken: [] };
	const edit = (e: RowEdit, then: LivingRow | 'several' | undefined, place: string) => {
		out.edits.push(e);
		if (then === 'several') out.overtaken.push({ id: e.id, place });
		else if (!sameCells(then?.cells ?? null, e.before))
			out.overtaken.push({ id: e.before ? e.id : then!.id, place });
	};
	for (const [i, sent] of rows.entries()) {
		const r = read(sent, `rows[${i}]`);
		if (typeof r === 'string') return r;
		const before = r.row?.cells ?? null;
		const after = Object.fromEntries(
			Object.entries({ ...before, ...r.cells }).filter(([, v]) => v !== null)
		);
		if (!sameCells(before, after))
			edit({ id: r.row?.id ?? made(), before, after }, r.saw, `rows[${i}]`);
	}
	for (const [i, sent] of remove.entries()) {
		const r = read(sent, `remove[${i}]`);
		if (typeof r === 'string') return r;
		if (r.row) edit({ id: r.row.id, before: r.row.cells, after: null }, r.saw, `remove[${i}]`);
		else out.notThere.push(i);
	}
	return out;
}
