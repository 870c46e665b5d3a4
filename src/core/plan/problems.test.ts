/** Everything that keeps a rule from being compiled is told with its place, and what would be right. Invented data. */
import { describe, expect, it } from 'vitest';
import type { ReferenceTable } from '../document/model';
import type { Body, MessageBody, Rule } from '../document/rules';
import { compilePlan } from './plan';
import { planOf, rule, schema } from '../../../tests/world';

const problems = (r: Rule, more: { tables?: ReferenceTable[]; rules?: Rule[] } = {}) =>
	compilePlan(schema, { rules: [r, ...(more.rules ?? [])], order: {}, tables: more.tables })
		.problems.filter((p) => p.rule === r.id)
		.map((p) => `${p.place}: ${p.message}`);
const only = (r: Rule, more = {}) => problems(r, more)[0];

/** A formula as somebody types it. */
const unread = (text: string): Body => ({ kind: 'formula', formulas: [{ text }] });
const options = (rows: Record<string, string>, input = 'stage'): Body => ({
	kind: 'options',
	input,
	rows: Object.fromEntries(Object.entries(rows).map(([k, v]) => [k, [v]])),
	blank: { none: true }
});
const bands = (limits: string[], results: string[], input = 'A'): Body => ({
	kind: 'bands',
	input: { text: input },
	limits: limits.map((at) => ({ at, belongs: 'above' })),
	results: results.map((r) => [r]),
	blank: { none: true }
});
const check = (holds: string, message: Body & { kind: 'check' } = CHECK): Body => ({
	...message,
	holds: { text: holds }
});
const CHECK: Body & { kind: 'check' } = {
	kind: 'check',
	holds: { text: '' },
	message: ['No'],
	blocking: true,
	always: false
};
const validate = (field: string, body: Body, more: Partial<Rule> = {}) =>
	rule(field, body, { kind: 'validate', ...more });

describe('a rule that cannot be compiled says where and why', () => {
	it('when what it names is gone', () => {
		expect(only(rule('gone', 'A'))).toBe('outputs: The field this rule writes is no longer there.');
		expect(only({ ...rule('b', 'A'), type: 'gone' })).toBe(
			'outputs: The record type of this rule is no longer there.'
		);
		expect(only({ ...rule('b', 'A'), outputs: [] })).toBe(
			'outputs: This rule writes no field yet.'
		);
		expect(only(rule('b', 'A', { watch: ['gone'] }))).toBe(
			'watch: A watched field is no longer there.'
		);
		expect(only(validate('gone', check('A > 1')))).toBe(
			'outputs: The field this rule is about is no longer there.'
		);
		expect(only(rule('size', options({}, 'gone')))).toBe(
			'input: The field this rule maps from is no longer there.'
		);
	});

	it('in its condition', () => {
		expect(only(rule('b', 'A', { guard: { text: 'Aa > 1' } }))).toMatch(/^guard: .*Did you mean/);
		expect(only(rule('b', 'A', { guard: { text: 'A + 1' } }))).toMatch(/^guard: .*yes or no/);
		expect(only(rule('b', 'A', { entering: true }))).toBe(
			'guard: A rule that applies on entering needs a guard.'
		);
		expect(only(rule('b', 'A', { entering: true, guard: { text: 'was.A > 1' } }))).toMatch(
			/cannot read was\. or changed\(\)/
		);
	});

	it('when it reads the field that it writes', () => {
		expect(only(rule('b', 'B + 1'))).toBe(
			'formula 0: This reads B, the field it writes. Read was.B (before the change) or sent.B (what was entered).'
		);
		expect(problems(rule('b', 'was.B + 1'))).toEqual([]);
		expect(problems(rule('t', 'upper case(sent.Text)'))).toEqual([]);
	});

	it('in formulas whose result does not fit', () => {
		expect(only(rule('b', 'Text'))).toMatch(/^formula 0: .*text.*number/);
		expect(only(rule('at', 'Day'))).toMatch(/^formula 0: .*date/);
		expect(only(rule('size', '"Huge"'))).toMatch(/“Huge”.*“Micro”/);
		expect(only(rule('b', unread('A +')))).toBe(
			'formula 0: The formula stops here; a value is missing.'
		);
	});

	it('in bands', () => {
		expect(only(rule('size', bands(['10'], ['micro', 'small'], 'Text')))).toBe(
			'input: Bands part numbers, amounts or dates.'
		);
		expect(only(rule('size', bands(['20', '10'], ['micro', 'small', 'large'])))).toBe(
			'result 1: The limits must rise: 10 stands behind 20.'
		);
		expect(only(rule('size', bands(['10'], ['micro'])))).toBe(
			'input: There must be one band more than there are limits.'
		);
		expect(only(rule('size', bands(['ten'], ['micro', 'small'])))).toMatch(/“ten” is no number/);
		expect(only(rule('size', bands(['10'], ['micro', 'huge'])))).toMatch(/huge/);
	});

	it('in maps', () => {
		expect(only(rule('size', options({ gone: 'micro' })))).toBe(
			'input: Stage has no option “gone”.'
		);
		expect(only(rule('size', options({}, 'a')))).toBe('input: A is neither a choice nor yes/no.');
		expect(only(rule('size', options({ won: 'huge' })))).toMatch(/huge/);
	});

	it('in texts that are composed or split', () => {
		const text = (texts: (string | { text: string })[][]): Body => ({
			kind: 'compose',
			texts,
			blanks: 'leave out'
		});
		expect(only(rule('t', text([[]])))).toBe('text 0: Write the text that Text becomes.');
		expect(only(rule('b', text([['x']])))).toBe('outputs: A composed text cannot stand in B.');
		expect(only(rule('t', text([['x ', { text: 'Aaa' }]])))).toMatch(/^text 0: .*“Aaa”/);
		const split = (at: 'first' | 'each', alone = 0): Body => ({
			kind: 'split',
			input: { text: 'Other text' },
			at,
			separator: '',
			alone
		});
		expect(only(rule('t', split('first')))).toBe(
			'outputs: Parting a text at one place gives two fields; there must be two.'
		);
		expect(only(rule('t', split('each', 3)))).toBe(
			'outputs: Say which field a text of one part goes to.'
		);
		expect(only(rule('b', split('each')))).toMatch(/^outputs: A part of a text cannot stand in B/);
	});

	it('in look-ups', () => {
		const table: ReferenceTable = {
			id: 't',
			label: 'Desk',
			why: '',
			columns: [
				{ id: 'stage', label: 'Stage', type: 'choice', list: 'stage' },
				{ id: 'v', label: 'Value', type: 'number' }
			],
			keys: [{ match: 'exact', column: 'stage' }],
			rows: [['won', '1']]
		};
		const look = (field: string, more: object = {}) =>
			rule(field, {
				kind: 'lookup',
				table: 't',
				keys: [{ text: 'Stage' }],
				columns: ['v'],
				several: 'first',
				...more
			} as Body);
		const tables = [table];
		expect(problems(look('b'), { tables })).toEqual([]);
		expect(only(look('b', { table: 'gone' }), { tables })).toBe(
			'input: Choose the table to look up in.'
		);
		expect(only(look('b', { columns: [] }), { tables })).toBe(
			'column 0: Choose the column of Desk for B.'
		);
		expect(only(look('t'), { tables })).toBe('column 0: Value is a number; Text is a text.');
		expect(only(look('b', { keys: [{ text: 'A' }] }), { tables })).toMatch(/^key 0: /);
		const broken = [{ ...table, rows: [['won', 'many']] }];
		expect(only(look('b'), { tables: broken })).toMatch(
			/^input: The table Desk has a fault: Row 1: Value: “many”/
		);
	});

	it('in matches', () => {
		const match = (field: string, more: object = {}) =>
			rule(field, {
				kind: 'match',
				type: 'thing',
				on: [{ field: 't', how: 'loose', value: { text: 'Other text' } }],
				several: 'leave',
				...more
			} as Body);
		expect(problems(match('boss'))).toEqual([]);
		expect(only(match('boss', { type: 'gone' }))).toBe('input: Choose the record type to search.');
		expect(only(match('b'))).toBe(
			'outputs: A match among things gives a link to one; B is a number.'
		);
		expect(only(match('boss', { on: [] }))).toBe('input: Say which field is to have which value.');
		expect(
			only(match('boss', { on: [{ field: 'gone', how: 'loose', value: { text: 'A' } }] }))
		).toBe('column 0: Choose the field that must have this value, and how.');
		expect(
			only(match('boss', { on: [{ field: 'a', how: 'domain', value: { text: 'A' } }] }))
		).toMatch(/^column 0/);
	});

	it('in messages and updates', () => {
		const message = (more: Partial<MessageBody> = {}, rest: Partial<Rule> = {}): Rule => ({
			...rule('b', 'A'),
			outputs: [],
			watch: ['a'],
			body: {
				kind: 'message',
				each: null,
				filter: null,
				to: { text: '"a@b.example"' },
				subject: ['Hello'],
				text: ['There'],
				once: 'event',
				...more
			},
			...rest
		});
		expect(problems(message())).toEqual([]);
		expect(only(message({ subject: [] }))).toBe('subject: Write the subject.');
		expect(only(message({ text: [] }))).toBe('message: Write the text.');
		expect(only(message({ to: { text: 'A' } }))).toMatch(/^recipient: /);
		expect(only(message({ each: { type: 'thing', field: 'a' } }))).toBe(
			'each: Choose which related records it is for.'
		);
		expect(only(message({}, { outputs: rule('b', 'A').outputs }))).toBe(
			'outputs: A rule that sends messages writes no field.'
		);
		const update = (more: Partial<Rule>) => rule('b', '1', { each: 'boss', watch: ['a'], ...more });
		expect(problems(update({}))).toEqual([]);
		expect(only(update({ watch: null }))).toBe(
			'watch: Say what sets it off: a condition, or the fields that are watched.'
		);
		expect(only(update({ each: 'a' }))).toBe(
			'each: Choose the link to the record that sets it off.'
		);
		expect(only(update({ watch: ['gone'] }))).toBe('watch: A watched field is no longer there.');
	});

	it('in Validate rules', () => {
		expect(only(validate('b', check('A + 1')))).toMatch(/^formula 0: /);
		expect(only(validate('b', { ...CHECK, holds: { text: 'A > 1' }, message: [] }))).toBe(
			'message: Write what is said when it does not hold.'
		);
		expect(only(validate('b', { kind: 'formula', formulas: [{ text: 'A' }] }))).toBe(
			'outputs: A Validate rule checks or limits a field; it writes none.'
		);
		expect(only(rule('b', check('A > 1')))).toBe(
			'outputs: Only a Validate rule can check or limit a field.'
		);
		const state = (of: 'read-only' | 'limited', list: string[]): Body => ({
			kind: 'state',
			state: of,
			options: list,
			always: false
		});
		expect(only(validate('b', state('limited', [])))).toBe('outputs: B has no options to limit.');
		expect(only(validate('size', state('limited', [])))).toBe(
			'input: Choose the options that are left.'
		);
		expect(only(validate('size', state('limited', ['huge'])))).toBe(
			'input: Size class has no option “huge”.'
		);
		expect(only(validate('b', state('read-only', []), { guard: { text: 'B > 1' } }))).toBe(
			'guard: What B may be cannot depend on B itself.'
		);
		const allowed = (input: string, rows: Record<string, string[]>): Body => ({
			kind: 'allowed',
			input,
			rows
		});
		expect(only(validate('size', allowed('a', {})))).toBe(
			'input: Choose the choice that limits it.'
		);
		expect(only(validate('size', allowed('stage', { gone: [] })))).toBe(
			'input: Stage has no option “gone”.'
		);
	});

	it('when holds do not go with what it reads', () => {
		const locked = (text: string) => rule('b', text, { output: { hold: 'locked' } });
		expect(problems(locked('A * 2'))).toEqual([]);
		for (const text of ['was.A', 'sent.A', 'if now() > now() then 1 else 2'])
			expect(only(locked(text)), text).toMatch(/Locked/);
		expect(only(rule('b', 'A', { entryPoints: ['api'], output: { hold: 'locked' } }))).toMatch(
			/Locked/
		);
		expect(only(rule('b', 'A', { watch: ['a'], output: { hold: 'locked' } }))).toMatch(/Locked/);
		expect(only(rule('b', 'A', { output: { hold: 'locked', none: 'leave' } }))).toMatch(/Locked/);
		expect(only(rule('b', 'A', { output: { adds: true } }))).toContain(
			'Only a multi-choice can be added to.'
		);
		expect(only(rule('sizes', '["Micro"]', { output: { adds: true, hold: 'locked' } }))).toContain(
			'follows and stays open to people'
		);
	});

	it('when fields read each other in a circle, with the path, across records too', () => {
		const circle = [rule('b', 'C'), rule('c', 'D'), rule('d', 'B')];
		for (const r of circle)
			expect(only(r, { rules: circle.filter((x) => x !== r) })).toMatch(
				/^order: These fields depend on each other in a circle: Thing: (\w) → Thing: \w → Thing: \w → Thing: \1\./
			);
		const up = rule('b', 'Boss.B', { output: { hold: 'locked' } });
		expect(only(up)).toMatch(/^order: |^formula 0: /);
		expect(problems(rule('b', 'Boss.C', { output: { hold: 'locked' } }))).toEqual([]);
	});

	it('and harms no other rule', () => {
		const good = rule('c', 'A');
		const plan = compilePlan(schema, { rules: [rule('b', unread('A +')), good], order: {} });
		expect([...plan.claims.keys()]).toEqual([`${good.id}:o`]);
		expect(plan.problems).toHaveLength(1);
	});

	it('in a map of options the place is the option', () => {
		const body = {
			kind: 'options' as const,
			input: 'stage',
			rows: { won: ['large'], lost: ['huge'] },
			blank: { none: true as const }
		};
		expect(planOf(rule('size', body)).problems).toMatchObject([{ place: 'option lost' }]);
	});
});
