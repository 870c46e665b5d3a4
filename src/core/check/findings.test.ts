import { describe, expect, it } from 'vitest';
import { zones } from '../../runtime/zones';
import type { Definition, ReferenceTable } from '../document/model';
import type { Body, HitPolicy, Rule, RuleSet } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { formula, planOf, rule, run, schema, setOf } from '../../../tests/world';
import { analyse } from './findings';

const checked = (...rules: Rule[]) => analyse(planOf(...rules), setOf(...rules), zones);
const found = (...rules: Rule[]) => checked(...rules).findings;
const bands = (
	limits: string[],
	results: (string | null)[],
	blank: 'said' | 'unsaid' = 'said'
): Body => ({
	kind: 'bands',
	input: formula('a'),
	limits: limits.map((at) => ({ at, belongs: 'above' })),
	results: results.map((r) => r && [r]) as (string[] | null)[],
	blank: blank === 'said' ? { none: true } : null
});
const options = (rows: Record<string, string>): Body => ({
	kind: 'options',
	input: 'stage',
	rows: Object.fromEntries(Object.entries(rows).map(([k, v]) => [k, [v]])),
	blank: { none: true }
});
const full = { enquiry: 'micro', survey: 'micro', offer: 'small', won: 'large', lost: 'micro' };

describe('findings', () => {
	it('a gap between bands blocks, with a number that falls into it and was tried', () => {
		const r = rule('size', bands(['10', '20', '30'], ['micro', 'small', null, 'large']));
		const [f] = found(r);
		expect(f).toMatchObject({
			severity: 'blocking',
			witness: { a: '20' },
			repair: { do: 'take gap', band: 2 }
		});
		expect(run(planOf(r), f.witness!, { was: null }).reports[0].outcome).toBe('no row');
	});

	it('an open end is advice; bands without gaps have no finding', () => {
		expect(found(rule('size', bands(['0', '10'], [null, 'micro', 'large'])))).toMatchObject([
			{ severity: 'advisory', witness: { a: '-1' } }
		]);
		expect(found(rule('size', bands(['0', '10'], ['micro', 'micro', 'large'])))).toEqual([]);
	});

	it('what only looks like a gap is none: a guard or a claim above keeps it away', () => {
		const gap = bands(['10', '20'], ['micro', null, 'large']);
		const above = rule('size', 'if true then was.size class else was.size class', {
			body: {
				kind: 'formula',
				formulas: [{ expr: { k: 'option', list: 'size', option: 'small' } }]
			}
		});
		const r = rule('size', gap);
		const of = found(above, r).filter((f) => f.rule === r.id);
		expect(of.map((f) => f.place)).toEqual(['order']);
		const guarded = rule('size', gap, { if: 'stage = "Won"' });
		expect(found(guarded)).toMatchObject([{ witness: { stage: 'won', a: '10' } }]);
	});

	it('an option nobody mapped blocks; a retired or a mapped one does not', () => {
		expect(found(rule('size', options(full)))).toEqual([]);
		const { won: _won, ...less } = full;
		expect(found(rule('size', options(less)))).toMatchObject([
			{ severity: 'blocking', witness: { stage: 'won' } }
		]);
	});

	it('blank input nobody decided about is advice', () => {
		expect(found(rule('size', bands(['0'], ['micro', 'large'], 'unsaid')))).toMatchObject([
			{ place: 'blank', severity: 'advisory' }
		]);
	});

	it('a watch narrowed so that a value can go stale is advice', () => {
		expect(found(rule('b', 'a + c', { watch: ['a'] }))).toMatchObject([
			{ place: 'watch', message: expect.stringContaining('C') },
			{ place: 'blank', message: expect.stringContaining('blank a'), witness: { a: null } }
		]);
		expect(found(rule('b', 'a + otherwise(c, 0)', { watch: ['a', 'c'] }))).toMatchObject([
			{ is: 'blank unsaid', witness: { a: null } }
		]);
	});

	it('what cannot be compiled blocks, at its place', () => {
		const r = rule('b', 'a', { body: { kind: 'formula', formulas: [{ text: 'a +' }] } });
		expect(found(r)).toMatchObject([{ severity: 'blocking', place: 'formula 0', rule: r.id }]);
		const twice = rule('b', 'a');
		expect(found(twice, { ...twice })[0].message).toContain('Two rules');
		expect(found(rule('b', 'c'), rule('c', 'b')).map((f) => f.place)).toEqual(['order']);
	});
});

describe('decision tables', () => {
	const table = (hit: HitPolicy, inputs: string[], lines: [string[], string | null][]): Body => ({
		kind: 'table',
		hit,
		inputs: inputs.map((t) => formula(t)),
		rows: lines.map(([when, then], i) => ({
			id: `r${i}`,
			when: when.map((text) => ({ text })),
			then: [then === null ? null : { text: then }]
		}))
	});
	const on = (body: Body, more: Parameters<typeof rule>[2] = {}) => rule('b', body, more);
	const messages = (...rules: Rule[]) => found(...rules).map((f) => `${f.severity}: ${f.message}`);

	it('a combination that no row takes is shown by a record that was run', () => {
		const r = on(
			table(
				'U',
				['Stage', 'A'],
				[
					[['"Won"', '< 10'], '1'],
					[['"Won"', '>= 20'], '2'],
					[['not("Won")', '-'], '3'],
					[['-', 'null'], '4']
				]
			)
		);
		const [gap, ...rest] = found(r);
		expect(rest.map((f) => f.message)).toEqual(['Rows 3 and 4 both take Stage Enquiry, A blank.']);
		expect(gap).toMatchObject({
			severity: 'blocking',
			message: 'No row takes Stage Won, A 10.',
			witness: { stage: 'won', a: '10' }
		});
	});
	it('a blank nobody decided about is advice; a row that tests for it decides', () => {
		expect(
			messages(
				on(
					table(
						'U',
						['A'],
						[
							[['< 10'], '1'],
							[['>= 10'], '2']
						]
					)
				)
			)
		).toEqual(['advisory: No row says what a blank gives: A blank gives no result.']);
		expect(
			messages(
				on(
					table(
						'U',
						['A'],
						[
							[['< 10'], '1'],
							[['>= 10'], '2'],
							[['null'], null]
						]
					)
				)
			)
		).toEqual([]);
	});
	it('rows that share a combination matter where at most one may match, not where the first counts', () => {
		const rows: [string[], string][] = [
			[['<= 10'], '1'],
			[['>= 10'], '2'],
			[['null'], '0']
		];
		expect(messages(on(table('U', ['A'], rows)))).toEqual([
			'blocking: Rows 1 and 2 both take A 10.'
		]);
		expect(messages(on(table('F', ['A'], rows)))).toEqual([]);
		expect(messages(on(table('C+', ['A'], rows)))).toEqual([]);
	});
	it('rows that agree may share a combination under “any”', () => {
		const agree: [string[], string][] = [
			[['<= 10'], '1'],
			[['>= 10'], '1'],
			[['null'], '0']
		];
		expect(messages(on(table('A', ['A'], agree)))).toEqual([]);
	});
	it('a row that earlier ones cover, or that can never match, is named with its certificate', () => {
		expect(
			messages(
				on(
					table(
						'F',
						['A'],
						[
							[['< 10'], '1'],
							[['>= 10'], '2'],
							[['[5..15]'], '3'],
							[['[9..3]'], '4'],
							[['null'], '0']
						]
					)
				)
			)
		).toEqual([
			'advisory: Row 3 never gets its turn: rows 1, 2 take all of it first.',
			'advisory: Row 4 can never match: one of its cells takes no value.'
		]);
	});
	it('a table that passes on leaves combinations to the rule below it', () => {
		const some = on(table('F', ['A'], [[['< 10'], '1']]), { output: { none: 'next' } });
		expect(messages(some, rule('b', 'otherwise(C, 0)'))).toEqual([]);
		expect(messages(some).length).toBeGreaterThan(0);
	});
	it('a guard that keeps the gap away leaves nothing to find', () => {
		const guarded = on(table('U', ['Stage'], [[['"Won"'], '1']]), { if: 'Stage = "Won"' });
		expect(messages(guarded)).toEqual([]);
	});
	it('what computes is listed as not analysed, never as clean', () => {
		const open = (r: Rule) => checked(r).open.map((o) => o.message);
		expect(open(on(table('U', ['A + 1'], [[['-'], '1']])))[0]).toContain('computes in its inputs');
		expect(open(on(table('U', ['A'], [[['? * 2 > 5'], '1']])))[0]).toContain('computes in its');
		expect(open(on(table('U', ['A'], [[['-'], '1']])))).toEqual([]);
	});
});

describe('reference tables and definitions', () => {
	const desk: ReferenceTable = {
		id: 't',
		label: 'Desk',
		why: '',
		columns: [
			{ id: 'stage', label: 'Stage', type: 'choice', list: 'stage' },
			{ id: 'v', label: 'V', type: 'number' }
		],
		keys: [{ match: 'exact', column: 'stage' }],
		rows: [
			['won', '1'],
			['won', '2'],
			['lost', '3'],
			['offer', '4'],
			['survey', '5']
		]
	};
	const look = rule('b', {
		kind: 'lookup',
		table: 't',
		keys: [{ text: 'Stage' }],
		columns: ['v'],
		several: 'first'
	});
	const inSet = (set: RuleSet) => analyse(compilePlan(schema, set), set, zones).findings;

	it('an option without a row, and two rows for one key', () => {
		const stored = { ...look, body: { ...look.body, keys: [formula('Stage')] } as Body };
		const all = inSet({ rules: [stored], order: {}, tables: [desk] });
		expect(all.map((f) => f.message)).toEqual([
			'Desk: rows 1 and 2 both have Stage Won, so a look-up finds both.',
			'“Desk” has no row for “Enquiry” of Stage; it gives no result.'
		]);
		// it leads to the row, and the rule that meets both rows shows it
		expect(all[0]).toMatchObject({
			part: { kind: 'table', id: 't', row: 1 },
			rule: stored.id,
			witness: { stage: 'won' }
		});
		const alone = inSet({ rules: [], order: {}, tables: [desk] });
		expect(alone).toMatchObject([{ id: all[0].id, rule: '', message: all[0].message }]);
		const twice = inSet({
			rules: [stored, { ...stored, id: 'again' }],
			order: {},
			tables: [desk]
		});
		expect(twice.filter((f) => f.is === 'doubled key')).toHaveLength(1);
	});
	it('a cell that does not fit its column blocks, with its row', () => {
		const all = inSet({ rules: [], order: {}, tables: [{ ...desk, rows: [['won', 'many']] }] });
		expect(all).toMatchObject([
			{
				severity: 'blocking',
				part: { kind: 'table', id: 't', row: 0 },
				message: expect.stringContaining('Row 1: V: “many” is no number')
			}
		]);
	});
	it('a definition with a fault, with the name of another or of a function', () => {
		const d = (id: string, name: string, text: string): Definition => ({
			id,
			name,
			why: '',
			type: null,
			params: [],
			result: null,
			body: { text }
		});
		const all = inSet({
			rules: [],
			order: {},
			definitions: [d('a', 'Rate', '1 +'), d('b', 'rate', '2'), d('c', 'Sum', '3')]
		});
		expect(all.map((f) => `${f.part.id} ${f.message}`)).toEqual([
			'a Rate: The formula stops here; a value is missing.',
			'b Two definitions are called “rate”; a formula cannot tell them apart.',
			'c “Sum” is the name of a function.'
		]);
	});
});

describe('amounts of different currencies', () => {
	// the fields “Discount %” and “Yen” of the world hold EUR and JPY
	it.each([
		["'Discount %' + Yen", true],
		["A + ('Discount %' * 2 - Yen)", true],
		["if Flag then 'Discount %' - otherwise(Yen, 0) else 0", true],
		["'Discount %' + 'Discount %' * A", false],
		["'Discount %' / 'Discount %' + Yen", false],
		["'Discount %' * (Yen / Yen)", false]
	])('%s is a finding: %s', (text, wrong) => {
		const messages = found(rule('b', text)).map((f) => f.message);
		expect(messages.some((m) => m.includes('EUR and JPY'))).toBe(wrong);
	});
});
