/** What a settled record tells: its changes are what differs, and its reports cost nothing that is not asked for. Invented data. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { JsonValue } from '../fields/codec';
import { compilePlan } from '../plan/plan';
import { rule, run, schema } from '../../../tests/world';
import { NOTHING_ELSE, submissionOf } from '../trials/records';
import { same } from '../value/value';
import { zones } from '../../runtime/zones';
import { settle } from './settle';

const { fields } = schema.type('thing').type;
const number = fc.option(fc.integer({ min: 0, max: 9 }).map(String));
const record = fc.record(
	{
		a: number,
		b: number,
		c: number,
		d: number,
		t: fc.option(fc.constantFrom('x', ' y ', 'z')),
		stage: fc.option(fc.constantFrom('enquiry', 'won', 'lost')),
		flag: fc.option(fc.boolean())
	},
	{ requiredKeys: [] }
) as fc.Arbitrary<Record<string, JsonValue>>;
const rules = fc.subarray(
	[
		rule('b', 'A + 1', { output: { hold: 'locked', none: 'clear' } }),
		rule('c', 'B * 2', { if: 'Flag' }),
		rule('c', '7', { output: { hold: 'fill' } }),
		rule('d', 'was.D + 1', { if: 'changed(A)', output: { closed: true } }),
		rule('t', 'upper case(sent.Text)'),
		rule('size', 'if A > 4 then "Large" else "Small"', { output: { hold: 'once' } }),
		rule('was_stage', 'was.Stage', { if: 'changed(Stage)' }),
		rule('flag', 'true', { if: 'Stage = "Won"' })
	],
	{ minLength: 1 }
);
const settled = (
	plan: ReturnType<typeof compilePlan>,
	was: Record<string, JsonValue> | null,
	sent: Record<string, JsonValue>,
	explain?: boolean | 'outcomes'
) =>
	settle(
		plan,
		{
			records: [submissionOf(schema, { type: 'thing', was, sent: Object.entries(sent) })],
			entryPoint: 'full',
			instant: Date.parse('2026-11-23T09:00:00Z'),
			person: null
		},
		NOTHING_ELSE,
		{ zones, explain }
	).records[0];

describe('a settled record', () => {
	it('lists what differs, each field once, in the order of the fields, with who set it', () => {
		fc.assert(
			fc.property(rules, fc.option(record), record, (set, was, sent) => {
				const plan = compilePlan(schema, { rules: set, order: {} });
				expect(plan.problems).toEqual([]);
				const rec = settled(plan, was, sent, true);
				const differing = fields.filter((_, i) => !same(rec.values[i], rec.was[i]));
				expect(rec.changes.map((c) => c.field)).toEqual(differing.map((f) => f.id));
				for (const c of rec.changes) {
					const i = fields.findIndex((f) => f.id === c.field);
					expect([c.from, c.to]).toEqual([rec.was[i], rec.values[i]]);
					// what nobody sent was set by a rule that says so
					if (!(c.field in sent)) expect(c.claim).not.toBeNull();
					if (c.claim)
						expect(rec.reports.find((r) => r.claim === c.claim)!.outcome).toMatch(/wrote|cleared/);
				}
			})
		);
	});
	it('is the same with a full explanation, with outcomes only, and without', () => {
		fc.assert(
			fc.property(rules, fc.option(record), record, (set, was, sent) => {
				const plan = compilePlan(schema, { rules: set, order: {} });
				const [full, outcomes, none] = [true, 'outcomes' as const, false].map((explain) =>
					settled(plan, was, sent, explain)
				);
				expect(outcomes.values).toEqual(full.values);
				expect(none.values).toEqual(full.values);
				expect(none.changes).toEqual(full.changes);
				expect(none.reports).toEqual([]);
				expect(outcomes.reports.map((r) => [r.claim, r.outcome])).toEqual(
					full.reports.map((r) => [r.claim, r.outcome])
				);
				expect(outcomes.reports.every((r) => !r.guard && !r.reads)).toBe(true);
			})
		);
	});
	it('lists nothing where a rule puts back what somebody tried to set', () => {
		const locked = rule('b', 'A + 1', { output: { hold: 'locked' } });
		const r = run(
			compilePlan(schema, { rules: [locked], order: {} }),
			{ b: '9' },
			{
				was: { a: '1', b: '2' }
			}
		);
		expect(r.changes).toEqual([]);
		expect(r.setAside).toMatchObject([{ field: 'b', why: 'locked' }]);
	});
	it('tells what somebody gave where a rule put it into another form', () => {
		const plan = compilePlan(schema, {
			rules: [rule('t', 'upper case(sent.Text)'), rule('u', 'Text')],
			order: {}
		});
		const r = run(plan, { t: 'ab' }, { was: {} });
		expect(r.changes).toMatchObject([
			{ field: 't', to: 'AB', typed: 'ab' },
			{ field: 'u', to: 'AB' }
		]);
		expect(r.changes[1].typed).toBeUndefined();
	});
});
