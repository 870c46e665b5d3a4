import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { rule, setOf } from '../../../tests/world';
import { changedRules } from './rules';

describe('what differs between two rule sets', () => {
	const [a, b, c] = [rule('b', 'a'), rule('c', 'a'), rule('d', 'a')];

	it('is told in terms of rules', () => {
		const after = { rules: [{ ...a, why: 'another' }, c], order: { 'thing.b': ['x:o', 'y:o'] } };
		expect(changedRules(setOf(a, b), after)).toEqual([
			{ id: a.id, part: 'rule', what: 'changed', name: a.name },
			{ id: c.id, part: 'rule', what: 'new', name: c.name },
			{ id: b.id, part: 'rule', what: 'removed', name: b.name },
			{ id: 'thing.b', part: 'order', what: 'order', name: expect.stringContaining('thing.b') }
		]);
	});

	it('is nothing for the same content, whatever the order of keys or rules', () => {
		const turned = JSON.parse(JSON.stringify(Object.fromEntries(Object.entries(a).reverse())));
		expect(changedRules(setOf(a, b), { rules: [b, turned], order: { 'thing.b': [] } })).toEqual([]);
	});

	it('is counted from both sides alike', () => {
		const pool = [a, b, c, { ...a, name: 'Other' }];
		const sets = fc
			.uniqueArray(fc.constantFrom(...pool), { selector: (r) => r.id })
			.map((rules) => setOf(...rules));
		fc.assert(
			fc.property(sets, sets, (x, y) => {
				const [forth, back] = [changedRules(x, y), changedRules(y, x)];
				const turn = {
					new: 'removed',
					removed: 'new',
					changed: 'changed',
					order: 'order'
				} as const;
				expect(forth.map((d) => `${d.id} ${turn[d.what]}`).sort()).toEqual(
					back.map((d) => `${d.id} ${d.what}`).sort()
				);
			})
		);
	});
});
