/** What a worker makes of what it was sent is the draft, and what was not edited stays the same object. Rules of the demo. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { demoModel } from '../../demo/model';
import { demoReleases } from '../../demo/rules';
import type { Model, RuleSet } from '../core';
import { Received, Sending } from './sent';

const { set: whole } = demoReleases[2];
const start: RuleSet = { ...whole, rules: whole.rules.slice(0, 12) };

type Draft = { model: Model; set: RuleSet };
type Edit = (d: Draft, n: number) => Draft;
const withSet = (d: Draft, set: Partial<RuleSet>): Draft => ({ ...d, set: { ...d.set, ...set } });
const EDITS: Edit[] = [
	(d, n) =>
		withSet(d, {
			rules: d.set.rules.map((r, i) =>
				i === n % (d.set.rules.length || 1) ? { ...r, why: `edit ${n}` } : r
			)
		}),
	(d, n) => withSet(d, { rules: d.set.rules.filter((_, i) => i !== n % 12) }),
	(d, n) => withSet(d, { rules: [...d.set.rules, { ...whole.rules[12 + (n % 10)], id: `n${n}` }] }),
	// two with one identity, as a broken draft may have them
	(d) => withSet(d, { rules: [...d.set.rules, ...d.set.rules.slice(0, 1)] }),
	(d) => withSet(d, { rules: [...d.set.rules].reverse() }),
	(d, n) => withSet(d, { order: { ...d.set.order, [`deal.f${n % 3}`]: ['a:o', 'b:o'] } }),
	(d) => withSet(d, { definitions: (d.set.definitions ?? []).slice(1) }),
	({ model, set: { tables: _, ...set } }) => ({ model, set }),
	(d) => withSet(d, { tables: whole.tables }),
	// loaded anew: the same in other objects
	(d) => structuredClone(d),
	(d, n) => ({ ...d, model: { ...d.model, zone: n % 2 ? 'UTC' : 'Europe/Amsterdam' } })
];

it('arrives as it was sent, whatever was edited since, and compiles no rule again that was not', () => {
	fc.assert(
		fc.property(
			fc.array(fc.tuple(fc.nat(EDITS.length - 1), fc.nat(100)), { maxLength: 12 }),
			(edits) => {
				const sending = new Sending();
				const received = new Received();
				const send = (d: Draft) => received.take(structuredClone(sending.next(d.model, d.set)));
				let draft: Draft = { model: demoModel, set: start };
				let there = send(draft);
				expect(there.set).toEqual(start);
				for (const [which, n] of edits) {
					draft = EDITS[which](draft, n);
					const now = send(draft);
					expect(now.set).toEqual(draft.set);
					expect(now.plan.schema.model).toEqual(draft.model);
					for (const r of now.set.rules) {
						const said = JSON.stringify(r);
						const had = there.set.rules.filter((x) => JSON.stringify(x) === said);
						if (had.length) expect(had).toContain(r);
					}
					there = now;
				}
			}
		),
		{ numRuns: 60 }
	);
});

it('of the same draft again makes the very same plan, and another after any edit', () => {
	const sending = new Sending();
	const received = new Received();
	const send = (set: RuleSet) => received.take(structuredClone(sending.next(demoModel, set)));
	const first = send(start);
	expect(send(start)).toBe(first);
	expect(send({ ...start, rules: start.rules.slice(1) }).set.rules).toHaveLength(11);
	const back = send(start);
	expect(back).not.toBe(first);
	expect(send({ ...start, rules: [...start.rules].reverse() }).set.rules[0].id).toBe(
		start.rules.at(-1)!.id
	);
	expect(send({ ...start, order: {} }).set.order).toEqual({});
});

it('sends of an edit of one rule that rule and no other', () => {
	const sending = new Sending();
	sending.next(demoModel, start);
	const edited = { ...start.rules[3], why: 'edited' };
	const sent = sending.next(demoModel, {
		...start,
		rules: start.rules.map((r, i) => (i === 3 ? edited : r))
	});
	expect(sent).toEqual({
		rules: start.rules.map((_, i) => (i === 3 ? edited : i)),
		rest: {},
		gone: []
	});
});
