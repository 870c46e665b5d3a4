/** Two claims on one field: both can apply, as a record shows; or never; or it does not matter; or it is not known. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { bands, options, rule, schema, setOf, type More } from '../../../tests/deals';
import { demoModel } from '../../../demo/model';
import { demoDraft } from '../../../demo/rules';
import { zones } from '../../runtime/zones';
import { Schema } from '../document/model';
import type { Rule } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { recordsLoader, submissionOf, valuesFromJson } from '../trials/records';
import { settle } from '../settle/settle';
import { betweenClaims } from './between';
import { toJson } from '../fields/codec';

const fixed = (value: string, more: More) =>
	rule(
		'size',
		{ kind: 'formula', formulas: [{ text: `"${value}"` }], blank: { none: true } },
		more
	);

function told(...rules: Rule[]) {
	const set = setOf(rules);
	const plan = compilePlan(schema, set);
	expect(plan.problems).toEqual([]);
	return betweenClaims(plan, 'deal', 'size', zones);
}

/** What a rule alone makes of the record that was shown. */
function alone(
	r: Rule,
	shown: Extract<ReturnType<typeof told>[number], { is: 'order counts' }>['shown']
) {
	const plan = compilePlan(schema, setOf([r]));
	const near = (shown.near ?? []).map((n) => ({
		...n,
		values: valuesFromJson(schema, n.type, n.values)
	}));
	const record = submissionOf(schema, {
		type: 'deal',
		was: shown.was ?? null,
		sent: Object.entries(shown.witness!)
	});
	const change = {
		records: [record],
		entryPoint: shown.entryPoint ?? ('full' as const),
		instant: Date.UTC(2026, 10, 23),
		person: null
	};
	const { values } = settle(plan, change, recordsLoader(schema, near), { zones }).records[0];
	return toJson(values[schema.type('deal').at.get('size')!]);
}

describe('between two claims', () => {
	it('finds a record to which both apply, and what each gives it', () => {
		const [a, b] = [
			fixed('Small', { if: 'Amount > 10' }),
			fixed('Large', { if: 'Stage = "Won" and Amount > 5' })
		];
		const [said] = told(a, b);
		expect(said).toMatchObject({
			first: a.id,
			second: b.id,
			is: 'order counts',
			gives: ['small', 'large']
		});
		if (said.is !== 'order counts') throw new Error();
		expect([alone(a, said.shown), alone(b, said.shown)]).toEqual(said.gives);
	});

	it('knows conditions that never hold together', () => {
		const never = told(
			fixed('Small', { if: 'Amount > 10' }),
			fixed('Large', { if: 'Amount < 10' })
		);
		expect(never).toMatchObject([{ is: 'never' }]);
		expect(
			told(fixed('Small', { if: 'Stage = "Won"' }), fixed('Large', { if: 'Stage != "Won"' }))
		).toMatchObject([{ is: 'never' }]);
		const one = told(
			fixed('Small', { if: 'Amount >= 10' }),
			fixed('Large', { if: 'Amount <= 10' })
		);
		expect(one).toMatchObject([{ is: 'order counts', shown: { witness: { amount: '10' } } }]);
	});

	it('knows bodies that never have a result together', () => {
		const parted = told(
			rule('size', bands(['10'], ['small', null])),
			rule('size', bands(['10'], [null, 'large']))
		);
		expect(parted).toMatchObject([{ is: 'never' }]);
		const met = told(
			rule('size', bands(['12'], ['small', null])),
			rule('size', bands(['10'], [null, 'large']))
		);
		expect(met).toMatchObject([{ is: 'order counts', gives: ['small', 'large'] }]);
	});

	it('knows that giving the same does not matter', () => {
		expect(
			told(fixed('Small', { if: 'Amount > 10' }), fixed('Small', { if: 'Urgent' }))
		).toMatchObject([{ is: 'same' }]);
	});

	it('knows rules that are never set off together', () => {
		expect(
			told(
				fixed('Small', { moments: ['created'] }),
				fixed('Large', { moments: ['changed', 'request'] })
			)
		).toMatchObject([{ is: 'apart' }]);
		expect(
			told(fixed('Small', { entryPoints: ['import'] }), fixed('Large', { entryPoints: ['full'] }))
		).toMatchObject([{ is: 'apart' }]);
	});

	it('does not take what a Locked claim clears for want of a row for what it gives', () => {
		const lift = rule('size', bands(['10', '20'], [null, 'medium', null]), {
			output: { hold: 'locked' }
		});
		const rest = rule('size', bands(['0'], ['small', 'large']), { output: { hold: 'locked' } });
		expect(told(lift, rest)).toMatchObject([{ is: 'order counts', gives: ['medium', 'large'] }]);
	});

	it('looks at links, and at every two of three', () => {
		const three = told(
			fixed('Small', { if: 'Firm.Heads > 5' }),
			rule('size', options({ won: 'large' })),
			fixed('Medium', { if: 'Stage = "Lost"' })
		);
		expect(three.map((t) => t.is)).toEqual(['order counts', 'order counts', 'never']);
		if (three[0].is !== 'order counts') throw new Error();
		expect(three[0].shown.near).toHaveLength(1);
	});

	it('tells of the two rules on the demo’s size class', () => {
		const at = (r: Rule) => r.outputs.some((o) => o.field === 'size_class');
		const set = { ...demoDraft, rules: demoDraft.rules.filter(at) };
		const plan = compilePlan(new Schema(demoModel), set);
		expect(betweenClaims(plan, 'customer', 'size_class', zones)).toMatchObject([
			{ first: 'size_lift', second: 'size_class', is: 'order counts' }
		]);
	});

	it('does not say never where it cannot look', () => {
		const [said] = told(
			fixed('Small', { if: 'string length(Title) > 3 and contains(Note, "x")' }),
			fixed('Large', { if: 'matches(Title, "^z")' })
		);
		expect(['unknown', 'order counts']).toContain(said.is);
	});

	it('is right about limits, whatever they are', () => {
		const side = fc.record({ at: fc.integer({ min: 0, max: 6 }), up: fc.boolean() });
		fc.assert(
			fc.property(side, side, (x, y) => {
				const as = (s: typeof x, v: string) =>
					fixed(v, { if: `Amount ${s.up ? '>=' : '<'} ${s.at}` });
				const holds = (s: typeof x, n: number) => (s.up ? n >= s.at : n < s.at);
				const numbers = Array.from({ length: 40 }, (_, i) => i / 2 - 5);
				const meet = numbers.some((n) => holds(x, n) && holds(y, n));
				const [said] = told(as(x, 'Small'), as(y, 'Large'));
				expect(said.is).toBe(meet ? 'order counts' : 'never');
			}),
			{ numRuns: 60 }
		);
	});
});
