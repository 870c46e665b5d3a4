/** Reference tables as rows of text: for CSV files, spreadsheets and the grid on the page. */
import { nameKey } from '../text/names';
import { looseKey } from '../text/loose';
import { fromText, toJson } from '../fields/codec';
import type { JsonValue } from '../document/json';
import type { ReferenceTable, Schema, TableColumn } from '../document/model';
import { MAX_ROWS } from './reference';

/** A text that does not fit its cell; rows count from zero. */
export interface CellFault {
	row: number;
	column: string;
	message: string;
}

const asField = (c: TableColumn) => ({ group: '', ...c });

/** Reads one cell. The text is kept where it does not fit, so that nothing typed is lost. */
export function readCellText(
	column: TableColumn,
	text: string,
	schema: Schema
): { value: JsonValue; message: string | null } {
	const r = fromText(asField(column), text, schema);
	return r.ok
		? { value: toJson(r.value), message: null }
		: { value: text.trim(), message: r.message };
}

/** What is wrong with a value that stands in a cell, or null. */
export function cellFault(column: TableColumn, value: JsonValue, schema: Schema): string | null {
	if (value === null) return null;
	const text = Array.isArray(value) ? value.join(';') : String(value);
	const r = fromText(asField(column), text, schema);
	return r.ok ? null : r.message;
}

/** A value as text: options by their label, several of them parted by semicolons. */
export function cellText(column: TableColumn, value: JsonValue, schema: Schema): string {
	if (value === null) return '';
	if (typeof value === 'boolean') return value ? 'yes' : 'no';
	const one = (v: string) => (column.list && schema.option(column.list, v)?.label) || v;
	return Array.isArray(value) ? value.map(one).join('; ') : one(value);
}

/** A table as rows of text under its headings. */
export function tableToCells(table: ReferenceTable, schema: Schema): string[][] {
	return [
		table.columns.map((c) => c.label),
		...table.rows.map((row) => table.columns.map((c, i) => cellText(c, row[i] ?? null, schema)))
	];
}

/** Most values that are told to fit nowhere. */
const MOST_FAULTS = 10_000;

/**
 * Rows for a table from rows of text whose first is the heading; columns are found by their label,
 * in any order, and one that is missing stays blank.
 */
export function rowsFromCells(
	table: ReferenceTable,
	cells: readonly (readonly string[])[],
	schema: Schema
): { ok: true; rows: JsonValue[][]; faults: CellFault[] } | { ok: false; message: string } {
	const [head, ...body] = cells;
	if (!head) return { ok: false, message: 'There is no line with the names of the columns.' };
	const labels = table.columns.map((c) => c.label).join(', ');
	const place = new Map<string, number>();
	for (const [i, h] of head.entries()) {
		const column = table.columns.find((c) => nameKey(c.label) === nameKey(h) || c.id === h.trim());
		if (!column)
			return {
				ok: false,
				message: `Column ${i + 1} is called “${h}”; ${table.label} has ${labels}.`
			};
		if (place.has(column.id))
			return { ok: false, message: `Column ${column.label} is there twice.` };
		place.set(column.id, i);
	}
	if (body.length > MAX_ROWS)
		return { ok: false, message: `A table may have ${MAX_ROWS} rows; this has ${body.length}.` };
	const faults: CellFault[] = [];
	const rows = body.map((line, row) =>
		table.columns.map((c): JsonValue => {
			const i = place.get(c.id);
			const r = readCellText(c, i === undefined ? '' : (line[i] ?? ''), schema);
			if (r.message && faults.length < MOST_FAULTS)
				faults.push({ row, column: c.id, message: r.message });
			return r.value;
		})
	);
	return { ok: true, rows, faults };
}

/** Rows (zero-based) whose keys are those of an earlier row, with that row; ranges count when they are equal. */
export function doubledRows(table: ReferenceTable): Map<number, number> {
	const at = new Map(table.columns.map((c, i) => [c.id, i]));
	const plain = (s: string) => s.trim();
	// two keys are one where a look-up takes them for one
	const keys = table.keys.flatMap((k) =>
		(k.match === 'range' ? [k.from, k.to] : [k.column]).flatMap((id) => {
			const i = at.get(id);
			return i === undefined ? [] : [{ i, text: k.match === 'loose' ? looseKey : plain }];
		})
	);
	const first = new Map<string, number>();
	const out = new Map<number, number>();
	if (!keys.length) return out;
	table.rows.forEach((row, r) => {
		const parts = keys.map(({ i, text }) => {
			const v = row[i] ?? null;
			return typeof v === 'string' ? text(v) : v;
		});
		const key = JSON.stringify(parts);
		const had = first.get(key);
		if (had === undefined) first.set(key, r);
		else out.set(r, had);
	});
	return out;
}
