/** Rows of a reference table that one key finds together. */
import type { ReferenceTable, Schema } from '../document/model';
import type { Value } from '../value/value';
import { cellText, doubledRows } from './cells';
import { indexTable } from './reference';

/** Most that are told of one table. */
const MOST = 20;

/** Two rows that a look-up of one key finds both. */
export interface Twice {
	is: 'doubled key' | 'overlapping ranges';
	/** The later row and the earlier one, zero-based. */
	row: number;
	first: number;
	/** What a look-up asks for to find both, one value for each key. */
	key: Value[];
}

/** Rows that share their keys with an earlier one, or a value of their range where all other keys are the same. */
export function twoForOneKey(t: ReferenceTable, schema: Schema): Twice[] {
	const index = indexTable(t, schema);
	if (index.faults.length) return [];
	const at = new Map(t.columns.map((c, i) => [c.id, i]));
	// two ranges that overlap share the start of the later one
	const keyOf = (r: number) =>
		t.keys.map((k) =>
			k.match !== 'range'
				? index.value(r, at.get(k.column)!)
				: (index.value(r, at.get(k.from)!) ?? index.value(r, at.get(k.to)!))
		);
	const overlaps = new Map<number, Twice>();
	if (t.keys.some((k) => k.match === 'range'))
		for (let r = 0; r < t.rows.length && overlaps.size < MOST; r++) {
			const key = keyOf(r);
			if (key.some((v) => v === null)) continue;
			const [first, row] = index.find(key);
			if (row !== undefined && !overlaps.has(row))
				overlaps.set(row, { is: 'overlapping ranges', row, first, key });
		}
	const doubled = [...doubledRows(t)]
		.slice(0, MOST)
		.map(([row, first]): Twice => ({ is: 'doubled key', row, first, key: keyOf(row) }))
		// two ranges that hold nothing are alike, and no look-up finds either
		.filter(({ key, row }) => key.includes(null) || index.find(key).includes(row));
	return [...overlaps.values(), ...doubled];
}

/** Two rows for one key in a sentence that names rows, columns and keys. */
export function sayTwice(t: ReferenceTable, schema: Schema, x: Twice): string {
	const key = t.keys
		.map((k) => t.columns.findIndex((c) => c.id === (k.match === 'range' ? k.from : k.column)))
		.map((i) => {
			const text = cellText(t.columns[i], t.rows[x.row][i] ?? null, schema) || 'blank';
			return `${t.columns[i].label} ${text}`;
		})
		.join(', ');
	const verb = x.is === 'doubled key' ? 'have' : 'take';
	return `${t.label}: rows ${x.first + 1} and ${x.row + 1} both ${verb} ${key}, so a look-up finds both.`;
}
