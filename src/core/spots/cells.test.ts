/** The stretches of values that tests tell apart, and how a gap is repaired. Invented data. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compileExpression } from '../feel/compile';
import { parseExpression } from '../feel/parse';
import type { Field } from '../document/model';
import type { Body, DecisionBody, Rule, RuleSet } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { readCell } from '../tables/decision';
import { ANY } from '../feel/types';
import { formula, rule, run, schema } from '../../../tests/world';
import { num } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { axesOf, combinations, sameSpot, spotOf, stretches } from './cells';
import type { Repair } from '../check/types';
import { repaired } from '../check/repair';

const field = (id: string): Field => schema.field('thing', id)!;
const expr = (text: string) =>
	compileExpression(parseExpression(text, { schema, type: 'thing' }), { schema, type: 'thing' })
		.expr;
const values = (vs: readonly Value[] | null) => vs?.map((v) => (v === null ? 'blank' : String(v)));

describe('stretches', () => {
	it('of a number: below, at, between and above its limits, and blank', () => {
		expect(values(stretches(field('a'), [num(10), num(20)], schema))).toEqual([
			'9',
			'10',
			'15',
			'20',
			'21',
			'blank'
		]);
	});
	it('of a field that counts in steps: the next step, and none between neighbours', () => {
		const whole = { ...field('a'), places: 0 };
		expect(values(stretches(whole, [num(10), num(11), num(20)], schema))).toEqual([
			'9',
			'10',
			'11',
			'12',
			'20',
			'21',
			'blank'
		]);
		expect(values(stretches(field('money'), [num(5)], schema))).toEqual(['4', '5', '6', 'blank']);
		expect(values(stretches(field('yen'), [num(5), num(6)], schema))).toEqual([
			'4',
			'5',
			'6',
			'7',
			'blank'
		]);
	});
	it('of dates, choices, texts, yes or no and links', () => {
		const day = LocalDate.parse('2026-03-01');
		expect(values(stretches(field('day'), [day], schema))).toEqual([
			'2026-02-28',
			'2026-03-01',
			'2026-03-02',
			'blank'
		]);
		expect(values(stretches(field('stage'), ['won'], schema))).toEqual(['won', 'enquiry', 'blank']);
		const all = schema.lists.get('stage')!.options.map((o) => o.id);
		expect(values(stretches(field('stage'), all, schema))).toEqual([...all, 'blank']);
		expect(values(stretches(field('t'), ['Any text'], schema))).toEqual([
			'Any text',
			'Any text more',
			'blank'
		]);
		expect(values(stretches(field('flag'), [], schema))).toEqual(['true', 'false', 'blank']);
		expect(values(stretches(field('boss'), [], schema))).toEqual(['1', 'blank']);
		expect(stretches(field('sizes'), [], schema)).toBeNull();
		expect(stretches(field('at'), [], schema)).toBeNull();
	});
	it('have a value in each part that limits cut a line into', () => {
		fc.assert(
			fc.property(fc.uniqueArray(fc.integer({ min: -5, max: 5 }), { minLength: 1 }), (limits) => {
				const got = stretches(
					field('a'),
					limits.map((l) => num(l)),
					schema
				)!;
				const sorted = [...limits].sort((a, b) => a - b);
				// which part a number lies in: twice its place, one more where it is a limit itself
				const part = (x: number) =>
					sorted.filter((l) => l < x).length * 2 + (sorted.includes(x) ? 1 : 0);
				const parts = new Set(got.filter((v) => v !== null).map((v) => part(Number(String(v)))));
				expect(parts.size).toBe(limits.length * 2 + 1);
			})
		);
	});
});

describe('axes', () => {
	const axes = (...texts: string[]) => axesOf(schema, texts.map(expr));
	it('are the fields that conditions compare with constants, each once', () => {
		const found = axes('A > 1 and Stage = "Won"', 'A < 5 or is blank(Text)')!;
		expect(found.map((a) => a.spot.field.id)).toEqual(['a', 'stage', 't']);
		expect([...combinations(found)]).toHaveLength(6 * 3 * 2);
	});
	it('reach through links, where the record linked to is a place of its own', () => {
		const [boss, own] = axes('Boss.A > 1 and A > 1')!;
		expect(boss.spot.via).toEqual([{ type: 'thing', field: 'boss' }]);
		expect(sameSpot(boss.spot, own.spot)).toBe(false);
		expect(spotOf(expr('Boss.Boss.A'), schema)!.via).toHaveLength(2);
	});
	it.each([
		'A + 1 > 2',
		'A > B',
		'string length(Text) > 2',
		'was.A > 1',
		'changed(Stage)',
		'count(Team) > 1',
		'Day > today()'
	])('are not known of %s', (text) => {
		expect(axes(text)).toBeNull();
	});
	it('are not known where there would be too many combinations', () => {
		const many = (f: string) => Array.from({ length: 30 }, (_, i) => `${f} = ${i}`).join(' or ');
		expect(axes(many('A'))).not.toBeNull();
		expect(axes(`(${many('A')}) and (${many('B')}) and (${many('C')})`)).toBeNull();
	});
});

describe('repairs', () => {
	const bands = (): Body => ({
		kind: 'bands',
		input: formula('a'),
		limits: [
			{ at: '10', belongs: 'above' },
			{ at: '20', belongs: 'above' }
		],
		results: [['micro'], null, ['large']],
		blank: null
	});
	const after = (r: Rule, repair: Omit<Repair, 'rule' | 'label'>, more: Partial<RuleSet> = {}) => {
		const set: RuleSet = { rules: [r, rule('c', 'A')], order: {}, ...more };
		const next = repaired(set, { ...repair, rule: r.id, label: '' } as Repair, schema);
		expect(next.rules[1]).toBe(set.rules[1]);
		expect(compilePlan(schema, next).problems.filter((p) => p.rule !== r.id)).toEqual([]);
		return next.rules[0];
	};
	it('widen the band below a gap, or the one above where there is none below', () => {
		const inner = after(rule('size', bands()), { do: 'take gap', band: 1 } as never);
		expect(inner.body).toMatchObject({
			limits: [{ at: '20' }],
			results: [['micro'], ['large']]
		});
		const open: Body = { ...bands(), results: [null, ['micro'], ['large']] } as Body;
		expect(after(rule('size', open), { do: 'take gap', band: 0 } as never).body).toMatchObject({
			limits: [{ at: '20' }],
			results: [['micro'], ['large']]
		});
	});
	it('say that a blank gives nothing, take a condition away, take every road', () => {
		expect(after(rule('size', bands()), { do: 'say blank' }).body).toMatchObject({
			blank: { none: true }
		});
		expect(after(rule('b', 'A', { if: 'true', entering: true }), { do: 'always' })).toMatchObject({
			guard: null,
			entering: false
		});
		expect(
			after(rule('b', 'A', { entryPoints: ['full'] }), { do: 'every entry point' }).entryPoints
		).toBeNull();
	});
	it('widen or narrow what is watched; a watch of nothing is one of all', () => {
		const r = rule('b', 'A + C', { watch: ['a', 'd'] });
		expect(after(r, { do: 'watch all' }).watch).toBeNull();
		expect(after(r, { do: 'watch less', field: 'd' } as never).watch).toEqual(['a']);
		expect(
			after({ ...r, watch: ['d'] }, { do: 'watch less', field: 'd' } as never).watch
		).toBeNull();
	});
	it('squeeze a formula that is stored as a tree or as text', () => {
		const tree = after(rule('t', 'Other text + " "'), { do: 'squeeze', formula: 0 } as never);
		const text = after(rule('t', { kind: 'formula', formulas: [{ text: 'Other text + " "' }] }), {
			do: 'squeeze',
			formula: 0
		} as never);
		for (const r of [tree, text]) {
			const plan = compilePlan(schema, { rules: [r], order: {} });
			expect(plan.problems).toEqual([]);
			expect(run(plan, { u: 'Ab' }, { was: null }).json.t).toBe('Ab');
		}
	});
	it('leave what is no longer as it was told', () => {
		const said = {
			kind: 'formula' as const,
			formulas: [formula('A')],
			blank: { none: true as const }
		};
		const r = rule('b', said);
		for (const repair of [
			{ do: 'take gap', band: 0 },
			{ do: 'say blank' },
			{ do: 'leave several' },
			{ do: 'map option', option: 'won', values: ['1'] },
			{ do: 'add row', values: [null] }
		])
			expect(after(r, repair as never)).toBe(r);
	});

	/** A table over a number, a choice, a date, a yes/no and a text. */
	const table = (rows: string[][]): DecisionBody => ({
		kind: 'table',
		hit: 'U',
		inputs: ['A', 'Stage', 'Day', 'Flag'].map((t) => formula(t)),
		rows: rows.map((when, i) => ({
			id: `row${i + 1}`,
			when: when.map((text) => ({ text })),
			then: [{ text: '1' }]
		}))
	});
	const cellsOf = (r: Rule) => {
		const rows = (r.body as DecisionBody).rows;
		const last = rows[rows.length - 1];
		return {
			id: last.id,
			then: last.then,
			when: last.when.map((c) => readCell(c, ANY, { schema, type: 'thing' }).text)
		};
	};
	it('add a row for a combination, as wide as no other row speaks of', () => {
		const r = rule(
			'b',
			table([
				['< 10', '"Won"', '-', '-'],
				['>= 50', '-', '-', '-']
			])
		);
		const add = (row: (string | boolean | null)[]) =>
			cellsOf(after(r, { do: 'add row', values: row } as never));
		expect(add(['10', 'won', '2026-03-01', true])).toEqual({
			id: 'row3',
			then: [{ text: '' }],
			when: ['[10..50)', '"Won"', 'date("2026-03-01")', 'true'].map((t) =>
				t.startsWith('date') ? expect.stringContaining('2026-03-01') : t
			)
		});
		expect(add(['60', null, null, false]).when).toEqual(['>= 60', 'null', 'null', 'false']);
	});
	it('add a row of a reference table with its key and nothing else', () => {
		const tables = [
			{
				id: 't',
				label: 'T',
				why: '',
				columns: [
					{ id: 'k', label: 'K', type: 'choice' as const, list: 'stage' },
					{ id: 'v', label: 'V', type: 'number' as const }
				],
				keys: [{ match: 'exact' as const, column: 'k' }],
				rows: [['won', '1']]
			}
		];
		const set: RuleSet = { rules: [], order: {}, tables };
		const next = repaired(
			set,
			{ do: 'add table row', table: 't', column: 'k', value: 'lost', label: '' },
			schema
		);
		expect(next.tables![0].rows).toEqual([
			['won', '1'],
			['lost', null]
		]);
	});
});
