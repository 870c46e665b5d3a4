/** Lists as addresses have them: read back as they were, and named where they are wrong. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { conditionTree } from '../core';
import { LINE_IS } from './line';
import { group } from '../../tests/conditions';
import {
	EVERYTHING,
	SETTERS,
	STAMPS,
	checkView,
	columnText,
	listOf,
	listQuery,
	readColumn,
	type ListAsked
} from './lists';

const id = fc.constantFrom('stage', 'a1', 'the_field', 'X');
const column = fc.oneof(
	fc.array(id, { minLength: 1, maxLength: 3 }).map((p) => p.join('.')),
	fc.tuple(id, id).map(([t, f]) => `#${t}.${f}`),
	id.map((f) => `<${f}`),
	id.map((f) => `@${f}`),
	fc.constantFrom(...STAMPS.map((s) => `!${s}`))
);
const period = fc.option(
	fc.oneof(
		fc.constant({ from: '2026-01-01', to: '2026-02-01' }),
		fc.integer({ min: 1, max: 400 }).map((days) => ({ days }))
	)
);
const asked: fc.Arbitrary<ListAsked> = fc.record({
	find: fc.string({ maxLength: 30 }),
	where: fc.option(group(1).map((g) => ({ expr: conditionTree(g)! }))),
	untold: fc.boolean(),
	period,
	made: period,
	changed: period,
	setBy: fc.array(fc.record({ field: id, by: fc.constantFrom(...SETTERS), rule: fc.option(id) }), {
		maxLength: 3
	}),
	pending: fc.boolean(),
	pilot: fc.boolean(),
	line: fc.option(fc.record({ field: fc.option(id), is: fc.constantFrom(...LINE_IS) })),
	columns: fc.option(fc.uniqueArray(column, { maxLength: 4 })),
	sort: fc.option(fc.record({ column, desc: fc.boolean() }))
});

describe('a list in an address', () => {
	it('is read back as it was written', () => {
		fc.assert(
			fc.property(asked, (list) => {
				const address = new URL(`http://here.example/?${listQuery(list)}`);
				expect(listOf(address.searchParams)).toEqual(list);
			})
		);
	});
	it('of all records has nothing in it', () => {
		expect(listQuery(EVERYTHING).toString()).toBe('');
		expect(listOf(new URLSearchParams())).toEqual(EVERYTHING);
	});
	it('goes on from a view, what it says itself comes first', () => {
		const view = { ...EVERYTHING, pending: true, find: 'x' };
		expect(listOf(new URLSearchParams('sort=stage&desc=1'), view)).toEqual({
			...view,
			sort: { column: 'stage', desc: true }
		});
		expect(listOf(new URLSearchParams('list={}'), view)).toEqual(EVERYTHING);
	});
	it.each([
		['list=nonsense', 'no JSON'],
		['list=[]', 'no object'],
		['list={"where":{"expr":{"k":"drop"}}}', 'where must be'],
		['list={"period":{"from":"2026-02-01","to":"2026-01-01"}}', 'period must be'],
		['list={"period":{"days":0}}', 'period must be'],
		['list={"period":{"from":"0001-01-01","to":"999999999-12-31"}}', 'period must be'],
		['list={"made":{"days":"7"}}', 'made must be'],
		['list={"columns":["!gone"]}', 'columns[0] must be a column'],
		['list={"columns":["a;drop"]}', 'columns[0] must be a column'],
		['list={"setBy":[{"field":"a","by":"ghost"}]}', 'setBy[0].by'],
		['list={"more":1}', 'more'],
		['sort=a.b.c.d', 'sort.column must be a column'],
		['list={"__proto__":{"find":"x"},"constructor":1}', 'constructor']
	])('of %s names the place', (query, place) => {
		expect(() => listOf(new URLSearchParams(query))).toThrow(place);
	});
});

describe('a column', () => {
	it('is read back as it was written', () => {
		fc.assert(
			fc.property(column, (written) => {
				expect(columnText(readColumn(written)!)).toBe(written);
			})
		);
	});
	it.each(['', 'a.', '.a', '#a', '#a.b.c', '<a.b', 'a b', 'a"b', 'a\nb'])(
		'is not %j',
		(written) => {
			expect(readColumn(written)).toBeNull();
		}
	);
});

describe('a view', () => {
	it('has a name', () => {
		expect(checkView({ type: 'deal', name: ' Lost ', list: {} })).toEqual({
			type: 'deal',
			name: 'Lost',
			list: EVERYTHING
		});
		expect(() => checkView({ type: 'deal', name: '  ', list: {} })).toThrow('name must be given');
	});
});
