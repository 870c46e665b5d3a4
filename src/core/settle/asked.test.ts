/** What is asked for besides (states, reasons) alters nothing of what a change gives. Rules of the demo, made-up values. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoReleases } from '../../../demo/rules';
import { zones } from '../../runtime/zones';
import { Schema } from '../document/model';
import type { Field } from '../document/model';
import type { JsonValue } from '../document/json';
import { compilePlan } from '../plan/plan';
import { NOTHING_ELSE, submissionOf } from '../trials/trials';
import { settle, type SettleOptions } from './settle';

const schema = new Schema(demoModel);
const plan = compilePlan(schema, demoReleases[2].set);

/** Some value of a field, now and then blank. */
function some(f: Field): fc.Arbitrary<JsonValue> {
	const options = f.list ? schema.lists.get(f.list)!.options.map((o) => o.id) : [];
	const value = (): fc.Arbitrary<JsonValue> => {
		switch (f.type) {
			case 'number':
			case 'money':
			case 'percent':
				return fc.integer({ min: -5, max: 300 }).map(String);
			case 'yesno':
				return fc.boolean();
			case 'choice':
				return fc.constantFrom(...options);
			case 'choices':
				return fc.subarray(options, { minLength: 1 });
			case 'date':
				return fc.constantFrom('2026-01-31', '2026-12-01', '2027-05-05');
			case 'text':
				return fc.constantFrom('A', 'lost  twice', 'x@quillmere.example', '1012 AB');
			default:
				return fc.constant(null);
		}
	};
	return fc.oneof({ weight: 1, arbitrary: fc.constant(null) }, { weight: 4, arbitrary: value() });
}

describe.each(demoModel.types.map((t) => t.id))('a change of a %s', (type) => {
	const { fields } = schema.type(type).type;
	const values = fc.record(Object.fromEntries(fields.map((f) => [f.id, some(f)])), {
		requiredKeys: []
	});
	it('gives the same with and without states and reasons', () => {
		fc.assert(
			fc.property(values, values, fc.boolean(), (was, sent, created) => {
				const record = submissionOf(schema, {
					type,
					was: created ? null : (was as Record<string, JsonValue>),
					sent: Object.entries(sent as Record<string, JsonValue>)
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
