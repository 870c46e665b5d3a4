/** Cases: the first that is so decides; what cannot be told is passed over. */
import { describe, expect, it } from 'vitest';
import { formula, outcome, planOf, rule, run, setOf } from '../../../tests/world';
import { zones } from '../../runtime/zones';
import { analyse } from '../check/findings';
import type { JsonValue } from '../document/json';
import type { Body, CaseGives, Output, Rule } from '../document/rules';
import { reason } from '../explain/reason';

const gives = (g: string): CaseGives =>
	g === 'nothing' || g === 'leave' || g === 'clear' ? g : formula(g);
function cases(rows: [when: string, then: string][], otherwise: string): Body {
	return {
		kind: 'cases',
		rows: rows.map(([when, then], i) => ({
			id: `c${i + 1}`,
			when: formula(when),
			then: [gives(then)]
		})),
		otherwise: [gives(otherwise)]
	};
}
const of = (
	rows: [string, string][],
	otherwise: string,
	output: Partial<Output> = {},
	more: Partial<Rule> = {}
) => rule('c', cases(rows, otherwise), { output, ...more });

describe('cases', () => {
	const plan = planOf(
		of(
			[
				['A > 10', '1'],
				['Stage = "Won"', '2'],
				['A > 5', 'leave']
			],
			'clear'
		)
	);
	it.each([
		[{ a: '11', stage: 'won' }, '1', 'case 1 is so'],
		[{ a: '7', stage: 'won' }, '2', 'case 2 is so'],
		[{ a: '7' }, '9', 'case 3 is so'],
		[{ a: '3' }, null, 'no case is so'],
		// the first cannot be told, and is passed over
		[{ stage: 'won' }, '2', 'case 2 is so'],
		[{ stage: 'lost' }, null, 'no case is so']
	])('%j give %s', (sent, value, why) => {
		const rec = run(plan, sent, { was: { c: '9', b: '1' } });
		expect(rec.json.c).toBe(value);
		const [report] = rec.reports.filter((r) => r.field === 'c');
		expect(reason(plan, report)).toContain(why);
	});

	it('give nothing, and the rule below decides', () => {
		const plan = planOf(of([['A > 10', '1']], 'nothing'), rule('c', '5 + A'));
		expect(run(plan, { a: '11' }).json.c).toBe('1');
		expect(run(plan, { a: '2' }).json.c).toBe('7');
	});

	it('say which blank left a case open', () => {
		const plan = planOf(of([['A > 10', '1']], '2'));
		const rec = run(plan, { b: '1', a: null }, { was: { a: '3' } });
		expect(reason(plan, rec.reports[0])).toContain('A is blank');
	});

	it('run again when any of what they read changes', () => {
		const plan = planOf(
			of(
				[
					['Flag', 'B'],
					['A > 1', 'D + 1']
				],
				'nothing'
			)
		);
		expect(outcome(run(plan, { e: '1' }, { was: { c: '1' } }), 'c')).toEqual(['not triggered']);
		const all: Record<string, JsonValue>[] = [{ flag: true }, { a: '4' }, { b: '3' }, { d: '9' }];
		for (const sent of all)
			expect(outcome(run(plan, sent, { was: { c: '1' } }), 'c')).not.toEqual(['not triggered']);
	});

	it('without a case, a condition or a value say what is still open', () => {
		const open = (body: Body) => planOf(rule('c', body)).problems;
		expect(open({ kind: 'cases', rows: [], otherwise: ['nothing'] })).toMatchObject([
			{ place: 'input', open: true }
		]);
		expect(
			open({
				kind: 'cases',
				rows: [{ id: 'c1', when: { text: '' }, then: [{ expr: { k: 'hole' } }] }],
				otherwise: ['nothing']
			})
		).toMatchObject([
			{ place: 'case 0', open: true },
			{ place: 'gives 0 0', open: true }
		]);
		const plan = planOf(rule('c', cases([['A > 1', 'Text']], 'nothing')));
		expect(plan.problems[0].message).toContain('a number is wanted');
	});
});

describe('what is found in cases', () => {
	const found = (r: Rule) => {
		const set = setOf(r);
		return analyse(planOf(r), set, zones).findings.map((f) => [f.is, f.message]);
	};
	it('a case that those above take all of', () => {
		expect(
			found(
				of(
					[
						['A > 5', '1'],
						['A > 10', '2']
					],
					'0',
					{ hold: 'follow' }
				)
			).filter(([is]) => is === 'covered row')
		).toEqual([['covered row', 'Case 2 is never reached: case 1 takes all that it would.']]);
		expect(
			found(
				of(
					[
						['A > 5', '1'],
						['A > 10 or A <= 5', '2'],
						['A = 4', '3']
					],
					'0'
				)
			).filter(([is]) => is === 'covered row')
		).toEqual([['covered row', 'Case 3 is never reached: case 2 takes all that it would.']]);
	});
	it('a case that can never be so', () => {
		expect(
			found(
				of(
					[
						['A > 5 and A < 3', '1'],
						['A > 5', '2']
					],
					'0'
				)
			)
		).toContainEqual(['impossible row', 'Case 1 can never be so.']);
	});
	it('nothing in sound ones, nor where a blank is asked for', () => {
		expect(
			found(
				of(
					[
						['is blank(A)', 'nothing'],
						['A > 10', '1'],
						['A > 5', '2']
					],
					'0'
				)
			)
		).toEqual([]);
	});
});

it('an output taken away takes what its cases gave', () => {
	const two: Body = {
		kind: 'cases',
		rows: [{ id: 'c1', when: formula('Flag'), then: [formula('1'), formula('2')] }],
		otherwise: ['leave', 'clear']
	};
	const r = rule('c', two);
	const both = { ...r, outputs: [...r.outputs, { ...r.outputs[0], id: 'o2', field: 'd' }] };
	const rec = run(planOf(both), { flag: true });
	expect([rec.json.c, rec.json.d]).toEqual(['1', '2']);
});
