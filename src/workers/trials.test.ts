/** What the worker of the trials answers as a draft is edited, on the demo. */
import { expect, it } from 'vitest';
import { demoModel } from '../../demo/model';
import { demoReleases } from '../../demo/rules';
import { demoTrials } from '../../demo/trials';
import type { Rule, RuleSet, Trial } from '../core';
import { Schema, compilePlan, runTrial } from '../core';
import { zones } from '../runtime/zones';
import { Sending } from './sent';
import { trials, type TrialOutcome } from './trials';

const { set } = demoReleases.at(-1)!;
const sending = new Sending();
let job = 0;
/** All that a page would know. */
const outcomes = new Map<string, TrialOutcome>();
function asked(of: RuleSet, some?: readonly Trial[]) {
	const draft = sending.next(demoModel, of);
	const message = { job: ++job, draft, ...(some ? { trials: [...some] } : {}) };
	const answer = trials(structuredClone(message));
	for (const r of answer.results) outcomes.set(r.trial, r);
	return answer;
}
const whole = (of: RuleSet, some: readonly Trial[]) => {
	const plan = compilePlan(new Schema(demoModel), of);
	return some.map((t) => runTrial(plan, t, zones).held);
};
const heldOf = (some: readonly Trial[]) => some.map((t) => outcomes.get(t.id)?.held);
const edited = (of: RuleSet, id: string, change: (r: Rule) => Rule): RuleSet => ({
	...of,
	rules: of.rules.map((r) => (r.id === id ? change(r) : r))
});

it('runs all, then those alone that an edit can touch or that are new, and knows all the same how each came out', () => {
	expect(asked(set, demoTrials).ran).toBe(demoTrials.length);
	expect(heldOf(demoTrials)).toEqual(whole(set, demoTrials));
	expect(asked(set)).toMatchObject({ ran: 0, results: [] });
	const off = edited(set, 'size_class', (r) => ({ ...r, off: true }));
	const some = asked(off);
	expect(some.ran).toBeGreaterThan(0);
	expect(some.ran).toBeLessThan(demoTrials.length);
	expect(heldOf(demoTrials)).toEqual(whole(off, demoTrials));
	expect(heldOf(demoTrials)).not.toEqual(whole(set, demoTrials));
	// words that only people read touch none
	expect(asked(edited(off, 'urgency', (r) => ({ ...r, why: 'Another.' }))).ran).toBe(0);
	// one of them says something else, one is new
	const [first, ...rest] = demoTrials;
	const others = [
		{ ...first, expect: [...first.expect, { refused: false }] },
		...rest,
		{ ...first, id: 'new' }
	];
	expect(asked(off, others).ran).toBe(2);
	expect(heldOf(others)).toEqual(whole(off, others));
	// one that was taken away and comes again is told again
	asked(off, rest);
	outcomes.delete('new');
	asked(off, others);
	expect(heldOf(others)).toEqual(whole(off, others));
	asked(set);
	expect(heldOf(others)).toEqual(whole(set, others));
});
