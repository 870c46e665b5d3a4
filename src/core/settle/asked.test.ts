/** What is asked for besides (states, reasons) alters nothing of what a change gives. Rules of the demo, made-up values. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoReleases } from '../../../demo/rules';
import { someValues } from '../../../tests/values';
import { zones } from '../../runtime/zones';
import { Schema } from '../document/model';
import { compilePlan } from '../plan/plan';
import { NOTHING_ELSE, submissionOf } from '../trials/records';
import { settle, type SettleOptions } from './settle';

const schema = new Schema(demoModel);
const plan = compilePlan(schema, demoReleases[2].set);

describe.each(demoModel.types.map((t) => t.id))('a change of a %s', (type) => {
	const values = someValues(schema, type);
	it('gives the same with and without states and reasons', () => {
		fc.assert(
			fc.property(values, values, fc.boolean(), (was, sent, created) => {
				const record = submissionOf(schema, {
					type,
					was: created ? null : was,
					sent: Object.entries(sent)
				});
				const change = {
					records: [record],
					entryPoint: 'full' as const,
					instant: Date.parse('2026-11-23T09:00:00Z'),
					person: '7'
				};
				const given = (more: Partial<SettleOptions>) => {
					const { records, steps } = settle(plan, change, NOTHING_ELSE, { zones, ...more });
					const { values, changes, setAside, failures, added, messages, sends } = records[0];
					return { values, changes, setAside, failures, added, messages, sends, steps };
				};
				const plain = given({});
				expect(given({ explain: true })).toEqual(plain);
				expect(given({ states: true })).toEqual(plain);
				expect(given({ explain: 'outcomes', states: true })).toEqual(plain);
			}),
			{ numRuns: 60 }
		);
	});

	it('is reported of every rule of the type, whether its reasons are read or not', () => {
		const record = submissionOf(schema, { type, was: null, sent: [] });
		const { records } = settle(
			plan,
			{ records: [record], entryPoint: 'full', instant: 0, person: null },
			NOTHING_ELSE,
			{ zones, explain: true }
		);
		const ids = records[0].reports.map((r) => r.claim);
		expect(new Set(ids).size).toBe(ids.length);
		expect([...ids].sort()).toEqual(
			[
				...[...plan.claims.values()].filter((c) => c.rule.type === type).map((c) => c.id),
				...[...plan.validators.values()].filter((v) => v.rule.type === type).map((v) => v.id),
				...plan.messages.filter((m) => m.rule.type === type).map((m) => m.id)
			].sort()
		);
		for (const r of records[0].reports) {
			const first = r.reads;
			expect(r.reads).toBe(first);
		}
	});
});
