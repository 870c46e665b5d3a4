/** Rows that another system sends by their keys: what they come to, that sending them twice is once, and what does not fit. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { FieldType, ReferenceTable } from '../document/model';
import { Schema } from '../document/model';
import { editsByKey, type RowsByKey, type SentRows } from './by-key';
import { editedRows, sameCells, type LivingRow } from './living';

const schema = new Schema({
	zone: 'UTC',
	lists: [
		{
			id: 'l',
			label: 'L',
			options: [
				{ id: 'small', label: 'Small', code: 'S' },
				{ id: 'tall', label: 'Tall; and, wide' }
			]
		}
	],
	types: []
});
const table: ReferenceTable = {
	id: 't',
	label: 'T',
	why: '',
	living: true,
	columns: [
		{ id: 'k', label: 'Kind', type: 'text' },
		{ id: 'from', label: 'From', type: 'number' },
		{ id: 'to', label: 'To', type: 'number' },
		{ id: 'v', label: 'Value', type: 'number' },
		{ id: 'size', label: 'Size', type: 'choice', list: 'l' }
	],
	keys: [
		{ match: 'exact', column: 'k' },
		{ match: 'range', from: 'from', to: 'to' }
	],
	rows: []
};
const ids = () => {
	let n = 0;
	return () => `n${++n}`;
};
const edits = (stands: readonly LivingRow[], sent: Partial<SentRows>) =>
	editsByKey(table, schema, stands, { rows: [], remove: [], ...sent }, ids());

const key = fc.record({
	k: fc.constantFrom('a', 'b', ' c '),
	from: fc.constantFrom(null, 1, '10'),
	to: fc.constantFrom('20', 30)
});
const text = (v: unknown) => (v === null || v === undefined ? null : String(v).trim());
const same = (a: object, b: object) =>
	(['k', 'from', 'to'] as const).every(
		(c) => text((a as Record<string, unknown>)[c]) === text((b as Record<string, unknown>)[c])
	);
const apart = { comparator: same };
const stored = fc
	.uniqueArray(key, { ...apart, maxLength: 6 })
	.chain((keys) =>
		fc.tuple(
			...keys.map((k) =>
				fc.record({ v: fc.constantFrom('1', '2'), gone: fc.constant('x') }).map((more) => ({
					...Object.fromEntries(
						Object.entries(k).flatMap(([c, v]) => (v === null ? [] : [[c, text(v)!]]))
					),
					...more
				}))
			)
		)
	)
	.map((all) => all.map((cells, i): LivingRow => ({ id: `r${i}`, cells })));
const sent = fc
	.uniqueArray(
		fc.tuple(
			key,
			fc.constantFrom('row', 'remove'),
			fc.constantFrom(undefined, null, 1, '2.0', '3')
		),
		{ comparator: (a, b) => same(a[0], b[0]), maxLength: 6 }
	)
	.map((all) => ({
		rows: all
			.filter((x) => x[1] === 'row')
			.map(([k, , v]) => ({ ...k, ...(v === undefined ? {} : { v }) })),
		remove: all.filter((x) => x[1] === 'remove').map(([k]) => k)
	}));

describe('rows sent by their keys', () => {
	it('stand afterwards, those to be removed do not, and all others as they were; sent again they change nothing', () => {
		fc.assert(
			fc.property(stored, sent, (stands, asked) => {
				const found = edits(stands, asked) as RowsByKey;
				const { rows, overtaken } = editedRows(stands, found.edits);
				expect(overtaken).toEqual([]);
				const at = (k: object) => rows.filter((r) => same(r.cells, k));
				for (const row of asked.rows) {
					expect(at(row)).toHaveLength(1);
					const [{ cells }] = at(row);
					const before = stands.find((r) => same(r.cells, row))?.cells;
					const v = 'v' in row ? row.v : before?.v;
					expect(Number(cells.v ?? NaN)).toEqual(Number(v ?? NaN));
					// what the table has no column for stays
					expect(cells.gone).toBe(before?.gone);
					expect(Object.values(cells)).not.toContain(null);
				}
				asked.remove.forEach((row, i) => {
					expect(at(row)).toEqual([]);
					expect(found.notThere.includes(i)).toBe(!stands.some((r) => same(r.cells, row)));
				});
				for (const r of stands)
					if (![...asked.rows, ...asked.remove].some((x) => same(x, r.cells)))
						expect(rows).toContainEqual(r);
				for (const e of found.edits) expect(sameCells(e.before, e.after)).toBe(false);
				expect((edits(rows, asked) as RowsByKey).edits).toEqual([]);
			})
		);
	});

	it('say which of them stand otherwise than they were seen: changed, added or gone since', () => {
		const row = (k: string, v: string): LivingRow => ({
			id: k,
			cells: { k, from: '1', to: '2', v }
		});
		const of = (k: string, v: string) => ({ k, from: 1, to: 2, v });
		const stands = [row('same', '1'), row('changed', '2'), row('added', '1')];
		const seen = [row('same', '1'), row('changed', '1'), row('gone', '1')];
		const rows = ['same', 'changed', 'added', 'gone', 'new'].map((k) => of(k, '3'));
		const found = editsByKey(table, schema, stands, { rows, remove: [] }, ids(), seen) as RowsByKey;
		expect(found.overtaken).toEqual([
			{ id: 'changed', place: 'rows[1]' },
			{ id: 'added', place: 'rows[2]' },
			{ id: 'gone', place: 'rows[3]' }
		]);
		// what is sent as it stands overtakes nothing
		const again = { rows: [of('changed', '2'), of('added', '1')], remove: [] };
		expect(editsByKey(table, schema, stands, again, ids(), seen)).toEqual({
			edits: [],
			notThere: [],
			overtaken: []
		});
	});

	it('are read as they are given, of whatever type their columns are', () => {
		const of = (id: string, type: FieldType, more: object = {}) => ({
			id,
			label: id,
			type,
			...more
		});
		const every: ReferenceTable = {
			...table,
			columns: [
				of('k', 'text'),
				of('yes', 'yesno'),
				of('day', 'date'),
				of('at', 'moment'),
				of('n', 'number'),
				of('rate', 'percent'),
				of('one', 'choice', { list: 'l' }),
				of('set', 'choices', { list: 'l' }),
				of('mail', 'email'),
				of('phone', 'phone'),
				of('link', 'link', { target: 'x' })
			],
			keys: [{ match: 'exact', column: 'k' }]
		};
		const cells: LivingRow['cells'] = {
			k: 'a; b, "c"',
			yes: true,
			day: '2026-11-29',
			at: '2026-11-29T05:00:00.000Z',
			n: '1234567.891',
			rate: '7.5',
			one: 'small',
			set: ['small', 'tall'],
			mail: 'a@quillmere.example',
			phone: '+31201234567',
			link: '12'
		};
		const stands: LivingRow[] = [
			{ id: 'x', cells },
			{ id: 'y', cells: { k: 'no', yes: false } }
		];
		const rows = stands.map((r) => r.cells);
		expect(editsByKey(every, schema, stands, { rows, remove: [] }, ids())).toEqual({
			edits: [],
			notThere: [],
			overtaken: []
		});
	});

	it('say options by label or code as well', () => {
		const row = { k: 'a', from: 1, to: 2 };
		const { edits: made } = edits([], { rows: [{ ...row, size: 'S' }] }) as RowsByKey;
		expect(made[0].after).toEqual({ k: 'a', from: '1', to: '2', size: 'small' });
	});

	it('that do not fit are refused with their place, and nothing is edited', () => {
		const row = { k: 'a', from: 1, to: 2 };
		const stands: LivingRow[] = [
			{ id: 'x', cells: { k: 'b', from: '1', to: '2' } },
			{ id: 'y', cells: { k: 'b', from: '1', to: '2', v: '4' } }
		];
		for (const [asked, says] of [
			[{ rows: [row, { ...row, k: 'c', w: 1 }] }, 'rows[1]: “T” has no column “w”.'],
			[
				{ rows: [{ k: 'a', from: 1 }] },
				'rows[0] does not say To (“to”): a row is found by Kind, From, To.'
			],
			[{ remove: [{ k: 'a' }] }, 'remove[0] does not say From (“from”)'],
			[{ rows: [row], remove: [{ ...row, from: '1.0' }] }, 'remove[0] is the same row as rows[0].'],
			[{ rows: [{ ...row, k: 'b' }] }, 'rows[0]: several rows stand at these keys.'],
			[{ rows: [{ ...row, v: 'many' }] }, 'rows[0]: Value: “many” is no number'],
			[{ rows: [{ ...row, v: ['1'] }] }, 'rows[0]: Value holds one value, not a list.'],
			[{ rows: [{ ...row, size: true }] }, 'rows[0]: Size ']
		] as [Partial<SentRows>, string][])
			expect(edits(stands, asked)).toContain(says);
		expect(editsByKey({ ...table, keys: [] }, schema, [], { rows: [row], remove: [] }, ids())).toBe(
			'“T” has no key by which a row could be found.'
		);
	});
});
