/** Trials that an edit is said to leave alone come out the very same by the rules before it and after it. */
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoReleases } from '../../../demo/rules';
import { demoTrials } from '../../../demo/trials';
import { zones } from '../../runtime/zones';
import { alterationsOf } from '../cover/alter';
import { pointsOf } from '../cover/points';
import { propose } from '../cover/propose';
import { Schema } from '../document/model';
import type { RuleSet } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { touchedTrials } from './touched';
import { runTrial, type Expectation, type Trial } from '../trials/trials';

const schema = new Schema(demoModel);
const { set } = demoReleases.at(-1)!;
const before = compilePlan(schema, set);

/** Trials of each rule, as they are proposed, each also expecting something of every other kind. */
const trials: Trial[] = [
	...demoTrials,
	...set.rules.flatMap((rule, n) => {
		const points = pointsOf(before, rule, () => '');
		return propose(before, set, rule, points.slice(0, 6), zones).flatMap(({ trial }, i) => {
			const field = rule.outputs[0]?.field;
			const other = set.rules[(n + 7) % set.rules.length];
			const more: Expectation[] = [
				{ refused: false },
				{ messages: 0 },
				{ rule: other.id, writes: false },
				...(field ? [{ field, stays: true } as const] : []),
				...(field ? [{ field, advised: false }] : []),
				...(field ? [{ field, state: 'hidden', is: false } as const] : [])
			];
			const expectOne = more[(n + i) % more.length];
			return [
				{ ...trial, id: `p${n}.${i}` },
				{ ...trial, id: `e${n}.${i}`, expect: [expectOne] },
				// the same once more, from what the first left
				{
					...trial,
					id: `t${n}.${i}`,
					then: [{ ...trial, sent: trial.sent.slice(0, 1), expect: [expectOne] }]
				}
			];
		});
	})
];

/** Every third small mistake in every rule, and edits of what rules stand on. */
const edits: [string, RuleSet][] = [
	...set.rules.flatMap((rule, n) =>
		alterationsOf(set, rule, schema)
			.filter((_, i) => (i + n) % 3 === 0)
			.slice(0, 5)
			.map((a): [string, RuleSet] => [`${a.key} ${a.slip}`, a.set])
	),
	...set.rules.map((rule): [string, RuleSet] => [
		`without ${rule.id}`,
		{ ...set, rules: set.rules.filter((r) => r !== rule) }
	]),
	...(set.tables ?? []).map((t): [string, RuleSet] => [
		`rows of ${t.id}`,
		{ ...set, tables: set.tables!.map((x) => (x === t ? { ...x, rows: x.rows.slice(1) } : x)) }
	]),
	...(set.definitions ?? []).map((d): [string, RuleSet] => [
		`definition ${d.id}`,
		{
			...set,
			definitions: set.definitions!.map((x) => (x === d ? { ...x, body: { text: '1' } } : x))
		}
	])
];

describe('trials that an edit leaves alone', () => {
	it('come out the very same', () => {
		const tell = (plan: typeof before, t: Trial) => {
			const { lines, ...rest } = runTrial(plan, t, zones);
			return JSON.stringify([rest, lines.map(({ reports: _, ...l }) => l)]);
		};
		const was = new Map(trials.map((t) => [t.id, tell(before, t)]));
		let [left, all] = [0, 0];
		for (const [edit, next] of edits) {
			const after = compilePlan(schema, next);
			const touched = touchedTrials(before, after);
			for (const [i, t] of trials.entries()) {
				all++;
				if (touched(t)) continue;
				left++;
				// a part of them by turns: all of them by all edits would take minutes
				if ((i + edit.length) % 4) continue;
				expect([edit, t.id, tell(after, t)]).toEqual([edit, t.id, was.get(t.id)]);
			}
		}
		// most edits concern few trials
		expect(left / all).toBeGreaterThan(0.6);
	}, 120_000);

	it('are all where only people’s words differ, and none where the model does', () => {
		const named = { ...set, rules: set.rules.map((r) => ({ ...r, name: `${r.name}!`, why: 'x' })) };
		expect(trials.filter(touchedTrials(before, compilePlan(schema, named)))).toEqual([]);
		const other = new Schema({ ...demoModel, zone: 'UTC' });
		expect(trials.filter(touchedTrials(before, compilePlan(other, set)))).toHaveLength(
			trials.length
		);
	});
});
