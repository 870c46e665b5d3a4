/** What the worker of coverage answers, on the demo. */
import { expect, it } from 'vitest';
import { demoModel } from '../../demo/model';
import { demoReleases } from '../../demo/rules';
import { demoTrials } from '../../demo/trials';
import type { RuleSet, Trial } from '../core';
import { covering, type CoverAnswer, type CoverAsk } from './cover';
import { Sending } from './sent';

const { set } = demoReleases.at(-1)!;
const sending = new Sending();
let job = 0;
function asked<K extends CoverAsk['is']>(
	ask: Extract<CoverAsk, { is: K }>,
	of: RuleSet = set,
	trials?: Trial[]
) {
	const draft = sending.next(demoModel, of);
	const message = { job: ++job, draft, ask, ...(trials ? { trials } : {}) };
	const answer = structuredClone(covering(structuredClone(message)));
	expect(answer).toMatchObject({ job, is: ask.is });
	return answer as Extract<CoverAnswer, { is: K }>;
}
const tried = (a: Extract<CoverAnswer, { is: 'cover' }>) =>
	a.rules.reduce((n, r) => n + r.tried.length, 0);

it('tells what is tried, proposes for the rest, and knows of trials and edits that came since', () => {
	const all = tried(asked({ is: 'cover' }, set, demoTrials));
	expect(all).toBeGreaterThan(100);
	// asked again it says the same, without the trials being sent again
	expect(tried(asked({ is: 'cover' }))).toBe(all);
	const { proposals } = asked({ is: 'propose', rule: 'probability' });
	expect(proposals.length).toBeGreaterThan(2);
	const more = [...demoTrials, ...proposals.map((p, i) => ({ ...p.trial, id: `p${i}` }))];
	expect(tried(asked({ is: 'cover' }, set, more))).toBe(
		all + new Set(proposals.flatMap((p) => p.points)).size
	);
	expect(asked({ is: 'propose', rule: 'probability' }).proposals).toEqual([]);
	const off = { ...set, rules: set.rules.map((r) => ({ ...r, off: true })) };
	expect(asked({ is: 'cover' }, off).rules).toEqual([]);
	expect(asked({ is: 'strength', rule: 'probability' }, off).notices).toEqual([]);
	expect(asked({ is: 'propose', rule: 'probability' }, off).proposals).toEqual([]);
});

it('holds mistakes against the trials that hold; a rule that is gone has none', () => {
	const noticed = (trials: Trial[]) =>
		asked({ is: 'strength', rule: 'size_class' }, set, trials).notices.filter((n) => n.by).length;
	expect(noticed(demoTrials)).toBeGreaterThan(10);
	expect(noticed([])).toBe(0);
	// one that fails anyway notices nothing
	const wrong = demoTrials.map((t) => ({
		...t,
		expect: [{ field: 'size_class', value: 'micro', not: true }]
	}));
	expect(noticed(wrong.slice(0, 3))).toBe(0);
	expect(asked({ is: 'strength', rule: 'gone' }).notices).toEqual([]);
});
