/** Edits of rows: pieces that apply where what they found still stands, taken back, and made of a file. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { ReferenceTable } from '../document/model';
import {
	cellsOf,
	countEdits,
	editedRows,
	editsBetween,
	sameCells,
	stepped,
	turnedBack,
	type LivingRow
} from './living';

const table: ReferenceTable = {
	id: 't',
	label: 'T',
	why: '',
	columns: [
		{ id: 'k', label: 'K', type: 'text' },
		{ id: 'v', label: 'V', type: 'text' }
	],
	keys: [{ match: 'exact', column: 'k' }],
	rows: []
};
const cells = fc.record({
	k: fc.constantFrom('a', 'b', 'c', null),
	v: fc.constantFrom('1', '2', null)
});
const rowsOf = fc
	.array(cells, { maxLength: 8 })
	.map((all) => all.map((c, i): LivingRow => ({ id: `r${i}`, cells: c })));
const ids = () => {
	let n = 0;
	return () => `n${++n}`;
};
const plain = (rows: readonly LivingRow[]) =>
	rows.map((r) => JSON.stringify([r.cells.k, r.cells.v])).sort();

describe('rows after a step', () => {
	it('are those that it was made of, and what it does not concern is the very same', () => {
		fc.assert(
			fc.property(
				rowsOf,
				fc.array(fc.tuple(fc.nat(9), cells), { maxLength: 5 }),
				fc.array(fc.nat(9)),
				fc.array(fc.nat(7)),
				(before, added, changed, removed) => {
					const now = before.flatMap((r, i) => {
						if (removed.includes(i)) return [];
						return changed.includes(i) ? [{ id: r.id, cells: { ...r.cells, v: 'x' } }] : [r];
					});
					added.forEach(([at, c], i) => now.splice(at, 0, { id: `n${i}`, cells: c }));
					const gone = before.filter((r) => !now.some((n) => n.id === r.id)).map((r) => r.id);
					const put = now.flatMap((row, at) => (before.includes(row) ? [] : [{ at, row }]));
					// one that came and went in between is told as gone too
					const rows = stepped(before, { gone: [...gone, 'never'], put });
					expect(rows).toEqual(now);
					rows.forEach((r, i) => expect(r).toBe(now[i]));
				}
			)
		);
	});
});

describe('rows of a file in the place of those that stand', () => {
	it('are an edit that makes them so, and what it changes is no more than it must', () => {
		fc.assert(
			fc.property(rowsOf, fc.array(cells, { maxLength: 8 }), (before, after) => {
				const edits = editsBetween(table, before, after, ids());
				const { rows, overtaken } = editedRows(before, edits);
				expect(overtaken).toEqual([]);
				expect(plain(rows)).toEqual(plain(after.map((c, i) => ({ id: String(i), cells: c }))));
				for (const e of edits) expect(sameCells(e.before, e.after)).toBe(false);
				// a row that is found by a key keeps its identity
				const kept = before.filter((b) => after.some((a) => a.k === b.cells.k));
				const { removed } = countEdits(edits);
				expect(removed).toBeLessThanOrEqual(before.length);
				if (new Set(before.map((r) => r.cells.k)).size === before.length)
					expect(rows.filter((r) => r.id.startsWith('r')).length).toBe(kept.length);
			})
		);
	});
	it('leave what stands in columns that the table has no longer', () => {
		const before: LivingRow[] = [{ id: 'a', cells: { k: 'a', v: '1', gone: 'x' } }];
		expect(editsBetween(table, before, [{ k: 'a', v: '1' }], ids())).toEqual([]);
		expect(editsBetween(table, before, [{ k: 'a', v: '2' }], ids())).toEqual([
			{ id: 'a', before: before[0].cells, after: { k: 'a', v: '2', gone: 'x' } }
		]);
	});
	it('that are the same are none', () => {
		fc.assert(
			fc.property(rowsOf, (before) => {
				expect(editsBetween(table, before, before.map((r) => r.cells) as never, ids())).toEqual([]);
			})
		);
	});
});

describe('an edit', () => {
	it('taken back leaves what stood there', () => {
		fc.assert(
			fc.property(rowsOf, fc.array(cells, { maxLength: 8 }), (before, after) => {
				const edits = editsBetween(table, before, after, ids());
				const there = editedRows(before, edits).rows;
				const { rows, overtaken } = editedRows(there, turnedBack(edits));
				expect(overtaken).toEqual([]);
				expect(plain(rows)).toEqual(plain(before));
			})
		);
	});
	it('is none at all where one of its rows is not as it found it', () => {
		const rows: LivingRow[] = [{ id: 'a', cells: { k: 'a', v: '1' } }];
		const edit = { id: 'a', before: { k: 'a', v: '2' }, after: null };
		const more = { id: 'b', before: null, after: { k: 'b' } };
		expect(editedRows(rows, [more, edit])).toEqual({ rows, overtaken: [edit] });
		expect(editedRows([], [{ ...edit }]).overtaken).toHaveLength(1);
		expect(editedRows(rows, [{ ...more, id: 'a' }]).overtaken).toHaveLength(1);
	});
	it('takes blank for nothing, and the order of columns for none', () => {
		expect(sameCells({ a: '1', b: null }, { a: '1' })).toBe(true);
		expect(sameCells({ a: '1', b: '2' }, { b: '2', a: '1' })).toBe(true);
		expect(sameCells(null, {})).toBe(false);
		expect(cellsOf(table, ['a', ''])).toEqual({ k: 'a' });
	});
});
