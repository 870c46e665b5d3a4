/** Roll-ups as sentences and as trees. */
import { describe, expect, it } from 'vitest';
import { schema } from '../../../tests/world';
import type { Expr } from '../document/tree';
import { bare } from '../document/tree';
import { compileExpression } from '../feel/compile';
import { parseExpression } from '../feel/parse';
import { printExpression } from '../feel/print';
import { rollupFits, rollupLabel, rollupOf, rollupTree } from './rollup';
import { waysFrom } from './ways';

const read = (text: string): Expr =>
	bare(
		compileExpression(parseExpression(text, { schema, type: 'thing' }), { schema, type: 'thing' })
			.expr
	);

describe('a roll-up', () => {
	it.each([
		'count(Team)',
		'count(Team[Stage = "Won"])',
		'sum(Team[Stage = "Won"].\'Discount %\')',
		'mean(Team.A)',
		'max(Team[A > 1].Day)',
		'string join(Team.Text, ", ")',
		'min(Boss.Team.A)'
	])('%s is read and written back', (text) => {
		const r = rollupOf(read(text), schema)!;
		expect(r.related.k).toBe('related');
		expect(printExpression(rollupTree(r), schema).text).toBe(text);
	});

	it.each([
		'sum(A, B)',
		'count(Team) + 1',
		'max(Team.Boss.A)',
		'sum([1, 2])',
		'string join(Team.Text)'
	])('%s is none', (text) => expect(rollupOf(read(text), schema)).toBe(null));

	it('without its field says that something is open', () => {
		const tree = rollupTree({ ...rollupOf(read('sum(Team.A)'), schema)!, field: null });
		expect(printExpression(tree, schema).text).toBe('sum(for item in Team return …)');
		expect(rollupOf(tree, schema)).toMatchObject({ how: 'sum', field: null });
	});

	it('is called after what it tells of', () => {
		expect(rollupLabel('max', { type: 'date' })).toBe('the latest');
		expect(rollupLabel('max', { type: 'money' })).toBe('the largest');
		expect(rollupFits('sum', { type: 'date' })).toBe(false);
		expect(rollupFits('max', { type: 'date' })).toBe(true);
		expect(rollupFits('string join', { type: 'text' })).toBe(true);
	});
});

describe('what can be spoken of', () => {
	it('is found by two links at most, and no further; each compiles', () => {
		const ways = waysFrom(schema, 'thing');
		expect(new Set(ways.map((w) => w.through.length))).toEqual(new Set([0, 1, 2]));
		for (const w of ways)
			expect(compileExpression(w.expr, { schema, type: 'thing' }).faults).toEqual([]);
		expect(ways.filter((w) => w.related === 'thing')).toHaveLength(2);
	});
	it('of an item begins at the item', () => {
		const [first] = waysFrom(schema, 'thing', true);
		expect(first.expr).toMatchObject({ k: 'through', of: { k: 'var', name: 'item' } });
	});
});
