import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readTemplate } from '../feel/template';
import { printExpression } from '../feel/print';
import { bare } from '../document/tree';
import type { Definition, ReferenceTable } from '../document/model';
import { Schema } from '../document/model';
import type { Body, Rule } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { readFormula } from '../feel/read-formula';
import { toJson } from '../fields/codec';
import { formula, model, outcome, planOf, rule, run, schema } from '../../../tests/world';
import { settle } from './settle';
import { reason } from '../explain/reason';
import { NOTHING_ELSE, submissionOf } from '../trials/records';
import { runTrial } from '../trials/trials';
import { zones } from '../../runtime/zones';

const template = (text: string) => readTemplate(text, { schema, type: 'thing' }).template;
const compose = (text: string, blanks: (Body & { kind: 'compose' })['blanks']): Body => ({
	kind: 'compose',
	texts: [template(text)],
	blanks
});

describe('composed text', () => {
	const was = { u: 'Noord', a: '3' };
	it('puts values into running text, options by their label', () => {
		const plan = planOf(rule('t', compose('{Other text} – {Stage} ({A + 1})', 'leave out')));
		expect(run(plan, { stage: 'won' }, { was }).json.t).toBe('Noord – Won (4)');
	});
	it.each([
		['leave out' as const, 'Noord (4)'],
		['no result' as const, null],
		[{ write: '…' }, 'Noord – … (4)']
	])('blank parts: %j gives %s', (blanks, wanted) => {
		const plan = planOf(rule('t', compose('{Other text} – {Stage} ({A + 1})', blanks)));
		expect(run(plan, { a: '3', u: 'Noord' }, { was: null }).json.t).toBe(wanted);
	});
	it('follows each of its parts, and names the place of a fault', () => {
		const plan = planOf(rule('t', compose('{Other text} {Stage}', 'leave out')));
		const r = run(plan, { u: 'Zuid' }, { was: { u: 'Noord', stage: 'won', t: 'Noord Won' } });
		expect(r.json.t).toBe('Zuid Won');
		expect(planOf(rule('t', compose('{Othre text}', 'leave out'))).problems[0]).toMatchObject({
			place: 'text 0'
		});
		expect(planOf(rule('a', compose('{Stage}', 'leave out'))).problems[0].message).toContain(
			'cannot stand in A'
		);
	});
});

// common practice, no source: a name is split at its first space
describe('what a formula gives where something that it reads is blank', () => {
	const body = (blank: (Body & { kind: 'formula' })['blank'], ...texts: string[]): Body => ({
		kind: 'formula',
		formulas: texts.map(formula),
		blank
	});
	const was = { b: '9' };

	it('a value, where it comes to nothing; else what the formula gives', () => {
		const plan = planOf(rule('b', body({ give: ['7'] }, 'A * 2')));
		expect(run(plan, { t: 'x' }, { was: null }).json.b).toBe('7');
		expect(run(plan, { a: '4' }, { was }).json.b).toBe('8');
		const cleared = run(plan, { a: null }, { was: { a: '4', b: '8' } });
		expect([cleared.json.b, outcome(cleared, 'b')]).toEqual(['7', ['wrote']]);
		expect(reason(plan, cleared.reports[0])).toBe('A is blank');
	});
	it('nothing by decision: what the output says of no result, with the blank as its reason', () => {
		const plan = planOf(rule('b', body({ none: true }, 'A * 2'), { output: { none: 'clear' } }));
		const r = run(plan, { a: null }, { was: { a: '4', b: '8' } });
		expect([r.json.b, outcome(r, 'b')]).toEqual([null, ['cleared']]);
	});
	it('not where it comes to nothing for another reason, nor where it copes with the blank', () => {
		const plan = planOf(rule('b', body({ give: ['7'] }, 'A / (A - A)')));
		expect(run(plan, { a: '4' }, { was }).json.b).toBe('9');
		expect(run(plan, { a: null }, { was: { ...was, a: '4' } }).json.b).toBe('7');
		const copes = planOf(rule('b', body({ give: ['7'] }, 'otherwise(A, 1) + 1')));
		expect(run(copes, { a: null }, { was: { ...was, a: '4' } }).json.b).toBe('2');
	});
	it('each output its own, and a value that does not fit is told', () => {
		const two = rule('b', body({ give: ['7', 'none'] }, 'A', 'Text'));
		two.outputs.push({ id: 'p', field: 'u', hold: 'follow', none: 'next' });
		const r = run(planOf(two), { a: null, t: 'x' }, { was: { a: '1', b: '1' } });
		expect([r.json.b, r.json.u]).toEqual(['7', 'x']);
		const bad = compilePlan(schema, { rules: [rule('b', body({ give: ['x'] }, 'A'))], order: {} });
		expect(bad.problems.map((p) => p.place)).toEqual(['blank']);
	});
	it('a blank link is a blank, and so is a field behind it', () => {
		const plan = planOf(rule('b', body({ give: ['7'] }, 'boss.A')));
		expect(run(plan, { boss: null }, { was: { boss: '5', b: '3' } }).json.b).toBe('7');
	});
});

describe('one text split into several fields', () => {
	const split = (at: 'first' | 'last' | 'each', separator = '', alone = 0, input = 'Text') => {
		const r = rule('u', { kind: 'split', input: { text: input }, at, separator, alone });
		r.outputs = ['u', 't'].map((field, i) => ({
			id: `o${i}`,
			field,
			hold: 'follow',
			none: 'clear'
		}));
		return r;
	};
	const parts = (r: Rule, t: string) => {
		const { json } = run(
			planOf({ ...r, body: { ...r.body, input: formula('sent.Text') } as Body }),
			{ t }
		);
		return [json.u, json.t];
	};
	it.each([
		['first', 'Anna  de Vries', ['Anna', 'de Vries']],
		['last', 'Anna de Vries', ['Anna de', 'Vries']],
		['first', 'Plato', ['Plato', null]],
		['each', 'a b c', ['a', 'b c']]
	] as const)('%s of “%s”', (at, text, wanted) => {
		expect(parts(split(at), text)).toEqual(wanted);
	});
	it('by a sign; a text of one part goes where it is said', () => {
		expect(parts(split('first', '-'), 'N1 - yard 2')).toEqual(['N1', 'yard 2']);
		expect(parts(split('first', '-', 1), 'N1')).toEqual([null, 'N1']);
	});
	it('never leaves a space at either end, nor doubles one, for any text', () => {
		fc.assert(
			fc.property(
				fc.stringMatching(/^[ a-c]{0,20}$/),
				fc.constantFrom('first', 'last', 'each'),
				(t, at) => {
					for (const p of parts(split(at as 'first'), t))
						expect(p ?? 'x').not.toMatch(/^\s|\s$|\s\s/);
				}
			),
			{ numRuns: 200 }
		);
	});
	it('a name that arrives whole in the field of the family name is split once', () => {
		const r = split('first', '', 1, 'sent.Text');
		r.guard = formula('is blank(sent.Other text)');
		const plan = planOf(r);
		expect(plan.problems).toEqual([]);
		const once = run(plan, { t: 'Anna de Vries' }, { was: null });
		expect([once.json.u, once.json.t]).toEqual(['Anna', 'de Vries']);
		const again = run(plan, { t: 'de Vries' }, { was: { u: 'Anna', t: 'de Vries' } });
		expect(again.changes).toEqual([]);
	});
	it('asks for two fields where it parts at one place', () => {
		const one = rule('u', {
			kind: 'split',
			input: formula('Text'),
			at: 'first',
			separator: '',
			alone: 0
		});
		expect(planOf(one).problems[0].message).toContain('there must be two');
	});
});

describe('sets that rules add to', () => {
	const adds = (rows: Record<string, string[]>, more: Partial<Rule> = {}): Rule =>
		rule(
			'sizes',
			{
				kind: 'options',
				input: 'stage',
				rows: Object.fromEntries(Object.entries(rows).map(([k, v]) => [k, [v]])),
				blank: { none: true }
			},
			{ ...more, output: { adds: true } }
		);
	const byStage = adds({ won: ['small', 'large'], lost: ['micro'] });
	const set = (r: { json: Record<string, unknown> }) =>
		[...((r.json.sizes as string[] | null) ?? [])].sort();

	it('replace: without adding, the set becomes what the rule gives', () => {
		const plan = planOf({ ...byStage, outputs: [{ ...byStage.outputs[0], adds: undefined }] });
		expect(set(run(plan, { stage: 'won' }, { was: { sizes: ['medium'] } }))).toEqual([
			'large',
			'small'
		]);
	});
	it('what the rule added goes with its reason; what people added stays', () => {
		const plan = planOf(byStage);
		expect(plan.problems).toEqual([]);
		const won = run(plan, { stage: 'won' }, { was: { sizes: ['medium'] } });
		expect(set(won)).toEqual(['large', 'medium', 'small']);
		const lost = run(
			plan,
			{ stage: 'lost' },
			{ was: { stage: 'won', sizes: ['large', 'medium', 'small'] } }
		);
		expect(set(lost)).toEqual(['medium', 'micro']);
		const none = run(plan, { stage: null }, { was: { stage: 'lost', sizes: ['medium', 'micro'] } });
		expect(set(none)).toEqual(['medium']);
	});
	it('remembers which options it added: one that people had before stays when the reason goes', () => {
		const plan = planOf(byStage);
		const settleWith = (
			was: Record<string, string | string[]>,
			stage: string,
			added?: ReadonlyMap<string, readonly string[]>
		) => {
			const record = submissionOf(schema, { type: 'thing', was, sent: [['stage', stage]] });
			const change = {
				records: [{ ...record, added }],
				entryPoint: 'full' as const,
				instant: 0,
				person: null
			};
			return settle(plan, change, NOTHING_ELSE, { zones }).records[0];
		};
		const at = schema.type('thing').at.get('sizes')!;
		const first = settleWith({ sizes: ['small'] }, 'won');
		expect(toJson(first.values[at])).toEqual(['small', 'large']);
		expect([...first.added.values()]).toEqual([['large']]);
		const second = settleWith({ stage: 'won', sizes: ['small', 'large'] }, 'lost', first.added);
		expect(toJson(second.values[at])).toEqual(['small', 'micro']);
	});
	it('a guard that lets go withdraws too, and several rules add to one set', () => {
		const flagged = adds({ won: ['micro'] }, { guard: formula('Flag') });
		const plan = planOf(byStage, flagged);
		const both = run(plan, { stage: 'won', flag: true });
		expect(set(both)).toEqual(['large', 'micro', 'small']);
		const off = run(
			plan,
			{ flag: false },
			{ was: { stage: 'won', flag: true, sizes: ['large', 'micro', 'small'] } }
		);
		expect(set(off)).toEqual(['large', 'small']);
	});
	it('what a person chooses afterwards is kept', () => {
		const plan = planOf(byStage);
		const r = run(plan, { stage: 'won', sizes: ['medium'] });
		expect(set(r)).toEqual(['medium']);
		expect(outcome(r, 'sizes')).toEqual(['kept']);
	});
	it('reads settled values only, and says so', () => {
		const m = planOf({ ...byStage, guard: formula('changed(Stage)') }).problems[0].message;
		expect(m).toContain('settled values only');
	});
	it('adding, then taking the reason away, leaves what was there, for any sets', () => {
		const plan = planOf(byStage);
		const sets = fc.subarray(['micro', 'small', 'medium', 'large']);
		fc.assert(
			fc.property(sets, fc.constantFrom('won', 'lost'), (had, stage) => {
				const at = schema.type('thing').at.get('sizes')!;
				const go = (
					was: Record<string, string | string[]>,
					to: string | null,
					added?: ReadonlyMap<string, readonly string[]>
				) => {
					const record = submissionOf(schema, { type: 'thing', was, sent: [['stage', to]] });
					const change = {
						records: [{ ...record, added }],
						entryPoint: 'api' as const,
						instant: 0,
						person: null
					};
					const r = settle(plan, change, NOTHING_ELSE, { zones }).records[0];
					return {
						sizes: [...((toJson(r.values[at]) as string[] | null) ?? [])].sort(),
						added: r.added
					};
				};
				const there = go({ sizes: had }, stage);
				const back = go({ sizes: there.sizes, stage }, null, there.added);
				expect(back.sizes).toEqual([...had].sort());
			}),
			{ numRuns: 100 }
		);
	});
});

const def = (
	id: string,
	name: string,
	body: string,
	params: Definition['params'] = [],
	more: Partial<Definition> = {}
): Definition => ({
	id,
	name,
	why: '',
	type: null,
	params,
	result: null,
	body: { text: body },
	...more
});
const number = (name: string) => ({ name, type: 'number' as const });

describe('definitions', () => {
	const compile = (definitions: Definition[], text: string, field = 'a') =>
		compilePlan(schema, {
			rules: [{ ...rule(field, '1'), body: { kind: 'formula', formulas: [{ text }] } }],
			order: {},
			definitions
		});
	it('are named expressions with typed parameters, usable in every formula', () => {
		const plan = compile(
			[def('d1', 'With tax', 'net * (1 + rate / 100)', [number('net'), number('rate')])],
			'With tax(B, 21) + with  tax(rate: 0, net: 1)'
		);
		expect(plan.problems).toEqual([]);
		expect(run(plan, { b: '100' }).json.a).toBe('122');
	});
	it('without parameters are names; they may use others, and fields of their record type', () => {
		const ds = [
			def('d1', 'Rate', '21'),
			def('d2', 'Double B', 'B * 2 + Rate', [], { type: 'thing' })
		];
		const plan = compile(ds, 'Double B');
		expect(plan.problems).toEqual([]);
		expect(run(plan, { b: '100' }).json.a).toBe('221');
		expect(run(plan, { c: '1' }, { was: { b: '100', a: '5' } }).json.a).toBe('5');
	});
	it('keep their meaning when they are renamed', () => {
		const d = def('d1', 'Rate', '21');
		const before = new Schema(model, { definitions: [d] });
		const { compiled } = readFormula({ text: 'Rate + 1' }, { schema: before, type: 'thing' });
		const after = new Schema(model, { definitions: [{ ...d, name: 'Tax rate' }] });
		expect(printExpression(bare(compiled!.expr), after).text).toBe('Tax rate + 1');
	});
	it.each<[string, Definition[], string, string]>([
		['types', [def('d1', 'Twice', 'x * 2', [number('x')])], 'Twice("a")', 'a number is wanted'],
		[
			'number of arguments',
			[def('d1', 'Twice', 'x * 2', [number('x')])],
			'Twice(1, 2)',
			'Twice(x)'
		],
		['circles', [def('d1', 'One', 'Two'), def('d2', 'Two', 'One')], 'One', 'One → Two → One'],
		['faults inside', [def('d1', 'One', '1 + "a"')], 'One', 'The definition “One” has a fault'],
		[
			'near names',
			[def('d1', 'With tax', 'x', [number('x')])],
			'With tex(1)',
			'Did you mean With tax()?'
		]
	])('say what is wrong: %s', (_, definitions, text, wanted) => {
		expect(
			compile(definitions, text)
				.problems.map((p) => p.message)
				.join()
		).toContain(wanted);
	});
	it('bind texts to options through parameters and results', () => {
		const d = def('d1', 'Is big', 'which in ("Large", "Medium")', [
			{ name: 'which', type: 'choice', list: 'size' }
		]);
		const plan = compile([d], 'if Is big(Size class) then 1 else 0');
		expect(plan.problems).toEqual([]);
		expect(run(plan, { size: 'large' }).json.a).toBe('1');
		expect(compile([d], 'if Is big("Lrge") then 1 else 0').problems[0].message).toContain(
			'Did you mean “Large”'
		);
	});
	it('end in bounded time, however often they double', () => {
		const ds = Array.from({ length: 60 }, (_, i) =>
			def(`d${i}`, `D${i}`, i ? `D${i - 1} + D${i - 1}` : 'B', [], { type: 'thing' })
		);
		const r = run(compile(ds, 'D59'), { b: '1' });
		expect(outcome(r, 'a')).toEqual(['failed']);
	});
	it('a change of what they read triggers the rules that use them', () => {
		const ds = [def('d1', 'Sum', 'B + C', [], { type: 'thing' })];
		const plan = compile(ds, 'Sum');
		expect(run(plan, { c: '2' }, { was: { b: '1', c: '1', a: '2' } }).json.a).toBe('3');
	});
});

describe('a rule that refuses the change when it fails', () => {
	it('blocks with its name; without it the field stays and the rest goes through', () => {
		const endless = 'sum(for i in 1..400 return sum(for j in 1..1000 return B))';
		const r = run(planOf({ ...rule('a', endless), refuses: true }), { b: '1' });
		expect(r.messages).toMatchObject([{ field: 'a', blocking: true }]);
		expect(run(planOf(rule('a', endless)), { b: '1' }).messages).toEqual([]);
	});
});

describe('codes of options', () => {
	it('are read by code()', () => {
		const coded = new Schema({
			...model,
			lists: model.lists.map((l) => ({
				...l,
				options: l.options.map((o) => ({ ...o, code: o.label.slice(0, 2).toUpperCase() }))
			}))
		});
		const plan = compilePlan(coded, { rules: [rule('t', 'code(Stage)')], order: {} });
		expect(run(plan, { stage: 'won' }).json.t).toBe('WO');
	});
});

describe('tables and rules', () => {
	it('are one plan: a look-up orders itself behind the rule that gives its key', () => {
		const t: ReferenceTable = {
			id: 'r',
			label: 'R',
			why: '',
			columns: [
				{ id: 'k', label: 'K', type: 'number' },
				{ id: 'v', label: 'V', type: 'number' }
			],
			keys: [{ match: 'exact', column: 'k' }],
			rows: [['10.0', '7']]
		};
		const look = rule('a', {
			kind: 'lookup',
			table: 'r',
			keys: [{ text: 'B' }],
			columns: ['v'],
			several: 'first'
		});
		const plan = compilePlan(schema, { rules: [look, rule('b', 'C * 2')], order: {}, tables: [t] });
		expect(run(plan, { c: '5' }).json).toMatchObject({ b: '10', a: '7' });
	});
});

describe('a sample or trial of a stored record', () => {
	it('knows what rules had added to its sets: only that goes when its reason goes', () => {
		const adds = rule(
			'sizes',
			{
				kind: 'options',
				input: 'stage',
				rows: { won: [['large']] },
				blank: { none: true }
			} as Body,
			{ output: { adds: true } }
		);
		const plan = planOf(adds);
		const claim = `${adds.id}:o`;
		const sizes = (added?: Record<string, string[]>) =>
			runTrial(
				plan,
				{
					id: 'a',
					name: 'a',
					type: 'thing',
					was: { stage: 'won', sizes: ['small', 'large'] },
					sent: [['stage', 'lost']],
					entryPoint: 'full',
					at: '2026-11-23T09:00:00Z',
					...(added ? { added } : {}),
					expect: [{ field: 'sizes', value: ['small'] }]
				},
				zones
			).lines[0].got;
		expect(sizes({ [claim]: ['large'] })).toEqual(['small']);
		// large was there before, given by somebody
		expect(sizes({ [claim]: [] })).toEqual(['small', 'large']);
	});
});
