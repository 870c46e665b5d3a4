/** Edits as values: what they are made of, undone, sent twice, and merged with what others did. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { canonicalJson } from '../document/canonical';
import type { Rule, RuleSet } from '../document/rules';
import { applied, at, editBetween, reversed, touched } from './edit';

const same = (a: unknown, b: unknown) => expect(canonicalJson(a)).toBe(canonicalJson(b));
const change = (set: RuleSet, id: string, f: (r: Rule) => Rule): RuleSet => ({
	...set,
	rules: set.rules.map((r) => (r.id === id ? f(r) : r))
});

// small drafts in which everything can meet: outputs, rows, cells, orders
const word = fc.constantFrom('a', 'b', 'c');
const ids = (n: string) => fc.uniqueArray(fc.constantFrom(`${n}1`, `${n}2`, `${n}3`, `${n}4`));
const formula = word.map((text) => ({ text }));
const body = fc.oneof(
	fc.record({ kind: fc.constant('formula'), formulas: fc.array(formula, { maxLength: 3 }) }),
	fc.record({
		kind: fc.constant('options'),
		input: word,
		rows: fc.dictionary(word, fc.array(word, { maxLength: 2 })),
		blank: fc.constantFrom(null, { none: true }, { give: ['a'] })
	}),
	ids('row').chain((rows) =>
		fc.record({
			kind: fc.constant('table'),
			inputs: fc.array(formula, { maxLength: 2 }),
			rows: fc.tuple(
				...rows.map((id) =>
					fc.record({
						id: fc.constant(id),
						when: fc.array(formula, { maxLength: 2 }),
						then: fc.array(fc.option(formula), { maxLength: 2 })
					})
				)
			)
		})
	)
);
const rules = ids('r').chain((all) =>
	fc.tuple(
		...all.map((id) =>
			ids('o').chain((outputs) =>
				fc.record({
					id: fc.constant(id),
					name: word,
					watch: fc.option(fc.array(word)),
					outputs: fc.tuple(
						...outputs.map((o) => fc.record({ id: fc.constant(o), field: word, hold: word }))
					),
					body
				})
			)
		)
	)
);
const drafts = fc
	.record({
		rules,
		order: fc.dictionary(fc.constantFrom('t.a', 't.b'), fc.array(word)),
		tables: ids('t').map((ts) => ts.map((id) => ({ id, label: id, rows: [['x', 1]] })))
	})
	.map((x) => x as unknown as RuleSet);

describe('an edit', () => {
	it('leads from one state to the other, and back, whatever they are', () => {
		fc.assert(
			fc.property(drafts, drafts, (a, b) => {
				const e = editBetween('e', a, b);
				const there = applied(a, e.pieces);
				expect(there.refused).toEqual([]);
				same(there.set, b);
				const back = applied(b, reversed(e).pieces);
				expect(back.refused).toEqual([]);
				same(back.set, a);
			})
		);
	});

	it('that comes twice is done once', () => {
		fc.assert(
			fc.property(drafts, drafts, (a, b) => {
				const { pieces } = editBetween('e', a, b);
				const twice = applied(applied(a, pieces).set, pieces);
				expect(twice.refused).toEqual([]);
				same(twice.set, b);
			})
		);
	});

	it('leaves what it does not touch the very same', () => {
		const next = change(demoDraft, 'size_class', (r) => ({ ...r, why: 'because' }));
		const { set } = applied(demoDraft, editBetween('why', demoDraft, next).pieces);
		set.rules.forEach((r, i) => {
			if (r.id === 'size_class') expect(r).not.toBe(demoDraft.rules[i]);
			else expect(r).toBe(demoDraft.rules[i]);
		});
		expect(set.tables).toBe(demoDraft.tables);
	});

	it('goes down to the smallest piece with an identity', () => {
		const id = 'size_class';
		const next = change(demoDraft, id, (r) => ({
			...r,
			why: 'new',
			outputs: r.outputs.map((o) => ({ ...o, hold: 'fill' as const }))
		}));
		const { pieces } = editBetween('e', demoDraft, next);
		expect(pieces.map((p) => p.path.join('/'))).toEqual([
			'rules/size_class/why',
			`rules/size_class/outputs/${next.rules.find((r) => r.id === id)!.outputs[0].id}/hold`
		]);
		expect(touched(pieces)).toEqual([{ part: 'rules', id }]);
	});

	it('over the whole difference of two releases is right as well', () => {
		const [, a, b] = demoReleases;
		same(applied(a.set, editBetween('e', a.set, b.set).pieces).set, b.set);
	});
});

describe('two authors', () => {
	const mine = change(demoDraft, 'size_class', (r) => ({ ...r, why: 'mine' }));
	const my = editBetween('why', demoDraft, mine);

	it('who change different pieces of one rule both have what they wrote, and undo their own', () => {
		const theirs = editBetween(
			'name',
			demoDraft,
			change(demoDraft, 'size_class', (r) => ({ ...r, name: 'Theirs' }))
		);
		const both = applied(mine, theirs.pieces);
		expect(both.refused).toEqual([]);
		expect(at(both.set, ['rules', 'size_class', 'name'])).toBe('Theirs');
		expect(at(both.set, ['rules', 'size_class', 'why'])).toBe('mine');
		const undone = applied(both.set, reversed(my).pieces);
		expect(undone.refused).toEqual([]);
		expect(at(undone.set, ['rules', 'size_class', 'name'])).toBe('Theirs');
		expect(at(undone.set, ['rules', 'size_class', 'why'])).toBe(
			at(demoDraft, ['rules', 'size_class', 'why'])
		);
	});

	it('who change one piece: the later change is not overwritten by an undo', () => {
		const later = change(mine, 'size_class', (r) => ({ ...r, why: 'theirs' }));
		const undone = applied(later, reversed(my).pieces);
		expect(undone.refused.map((p) => p.path.join('/'))).toEqual(['rules/size_class/why']);
		expect(undone.set).toBe(later);
	});

	it('a rule that somebody added meanwhile outlives an undo, and one that they edited is not taken out', () => {
		const added = { ...demoDraft.rules[0], id: 'mine' };
		const before = demoDraft;
		const withMine = { ...before, rules: [...before.rules, added] };
		const adding = editBetween('new rule', before, withMine);
		const withTheirs = {
			...withMine,
			rules: [...withMine.rules, { ...demoDraft.rules[1], id: 'theirs' }]
		};
		const undone = applied(withTheirs, reversed(adding).pieces);
		expect(undone.set.rules.map((r) => r.id)).toContain('theirs');
		expect(undone.set.rules.map((r) => r.id)).not.toContain('mine');
		const edited = change(withMine, 'mine', (r) => ({ ...r, why: 'theirs' }));
		expect(applied(edited, reversed(adding).pieces).refused).toHaveLength(1);
	});

	it('a rule taken out comes back where it stood', () => {
		const without = { ...demoDraft, rules: demoDraft.rules.filter((_, i) => i !== 3) };
		const back = applied(without, reversed(editBetween('remove', demoDraft, without)).pieces);
		expect(back.set.rules.map((r) => r.id)).toEqual(demoDraft.rules.map((r) => r.id));
	});

	it('edits of disjoint rules come out the same in either order', () => {
		fc.assert(
			fc.property(drafts, word, word, (a, x, y) => {
				if (a.rules.length < 2) return;
				const [r1, r2] = a.rules;
				const e1 = editBetween(
					'1',
					a,
					change(a, r1.id, (r) => ({ ...r, name: x }))
				);
				const e2 = editBetween(
					'2',
					a,
					change(a, r2.id, (r) => ({ ...r, name: y }))
				);
				same(
					applied(applied(a, e1.pieces).set, e2.pieces).set,
					applied(applied(a, e2.pieces).set, e1.pieces).set
				);
			})
		);
	});
});

describe('names from outside', () => {
	it('meet no prototype', () => {
		for (const key of ['__proto__', 'constructor', 'toString']) {
			expect(at(demoDraft, ['order', key])).toBeUndefined();
			expect(at(demoDraft, ['rules', key])).toBeUndefined();
			expect(at(demoDraft, [key])).toBeUndefined();
		}
	});
});
