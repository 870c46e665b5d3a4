/** Rows that one key finds together, held against asking the table for every key there is. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Model, ReferenceTable } from '../document/model';
import { Schema } from '../document/model';
import { num } from '../value/num';
import { indexTable } from './reference';
import { sayTwice, twoForOneKey } from './twice';

const model: Model = {
	zone: 'Europe/Amsterdam',
	types: [
		{
			id: 'deal',
			label: 'Deal',
			plural: 'Deals',
			title: 'name',
			columns: [],
			short: [],
			fields: [{ id: 'name', label: 'Name', group: 'Deal', type: 'text' }]
		}
	],
	lists: []
};
const table = (patch: Partial<ReferenceTable>): ReferenceTable => ({
	id: 'rates',
	label: 'Rates',
	why: '',
	columns: [
		{ id: 'kind', label: 'Kind', type: 'text' },
		{ id: 'from', label: 'From', type: 'number' },
		{ id: 'to', label: 'To', type: 'number' },
		{ id: 'rate', label: 'Rate', type: 'number' }
	],
	keys: [
		{ match: 'exact', column: 'kind' },
		{ match: 'range', from: 'from', to: 'to' }
	],
	rows: [],
	...patch
});
const schemaOf = (t: ReferenceTable) => new Schema(model, { tables: [t] });

describe('two rows for one key', () => {
	it('are named with rows, columns and keys, and with what a look-up asks for to find both', () => {
		const t = table({
			rows: [
				['a', '1', '10', '1'],
				['b', '5', '7', '2'],
				['a', '8', '12', '3']
			]
		});
		const schema = schemaOf(t);
		const found = twoForOneKey(t, schema);
		expect(found).toMatchObject([{ is: 'overlapping ranges', row: 2, first: 0 }]);
		expect(indexTable(t, schema).find(found[0].key)).toEqual([0, 2]);
		expect(sayTwice(t, schema, found[0])).toBe(
			'Rates: rows 1 and 3 both take Kind a, From 8, so a look-up finds both.'
		);
	});
	it('are none where ranges meet only in what neither holds, or a key is blank', () => {
		const t = table({
			rows: [
				['a', '1', '4', '1'],
				['a', '5', '9', '2'],
				[null, '1', '9', '3'],
				['b', '1', '9', '3']
			]
		});
		expect(twoForOneKey(t, schemaOf(t))).toEqual([]);
	});
	it('are not looked for in a table that cannot be read', () => {
		const t = table({
			rows: [
				['a', 'many', '4', '1'],
				['a', '1', '9', '2']
			]
		});
		expect(twoForOneKey(t, schemaOf(t))).toEqual([]);
	});
	it('are told of exact keys in any number of rows, twenty at most', () => {
		const t = table({
			keys: [{ match: 'exact', column: 'kind' }],
			rows: Array.from({ length: 60 }, () => ['a', null, null, '1'])
		});
		const found = twoForOneKey(t, schemaOf(t));
		expect(found).toHaveLength(20);
		expect(found[0]).toMatchObject({ is: 'doubled key', row: 1, first: 0 });
		expect(sayTwice(t, schemaOf(t), found[0])).toBe(
			'Rates: rows 1 and 2 both have Kind a, so a look-up finds both.'
		);
	});
	it('are found whenever any whole number is found twice', () => {
		const end = fc.option(fc.integer({ min: 0, max: 12 }));
		const row = fc.tuple(fc.constantFrom('a', 'b'), end, end);
		fc.assert(
			fc.property(fc.array(row, { maxLength: 7 }), (rows) => {
				const t = table({
					rows: rows.map(([kind, from, to]) => [
						kind,
						from === null ? null : String(from),
						to === null ? null : String(to),
						'1'
					])
				});
				const schema = schemaOf(t);
				const index = indexTable(t, schema);
				if (index.faults.length) return;
				const twice = ['a', 'b'].some((kind) =>
					Array.from({ length: 13 }, (_, n) => index.find([kind, num(n)])).some((f) => f.length > 1)
				);
				const found = twoForOneKey(t, schema);
				if (twice) expect(found.length).toBeGreaterThan(0);
				// and what is told is so
				for (const x of found)
					if (x.key.every((v) => v !== null)) {
						const both = index.find(x.key);
						expect(both).toContain(x.row);
						expect(both).toContain(x.first);
					}
			})
		);
	});
});
