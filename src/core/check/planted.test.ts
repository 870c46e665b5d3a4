/** Mistakes planted in rule sets, each beside a twin that only looks like it: found in the one, silent on the other. Invented data. */
import { describe, expect, it } from 'vitest';
import type { Definition } from '../document/model';
import type { Body, Rule, RuleSet } from '../document/rules';
import type { FindingIs } from '../kinds/catalogue';
import { check, checked, found, rule, setOf, type More } from '../../../tests/deals';

const state = (
	field: string,
	s: 'required' | 'read-only' | 'hidden' | 'limited',
	more: More = {},
	options: string[] = []
) =>
	rule(field, { kind: 'state', state: s, options, always: false }, { kind: 'validate', ...more });
const validate = (field: string, body: Body, more: More = {}) =>
	rule(field, body, { kind: 'validate', ...more });
/** A formula of which nobody said what a blank gives. */
const unsaid = (text: string): Body => ({ kind: 'formula', formulas: [{ text }] });
const locked: More = { output: { hold: 'locked', none: 'clear' } };
const how = (is: FindingIs, set: RuleSet) => found(set).filter((f) => f.is === is).length;

/** Kind of finding, the rules that have it, and twins that have not. */
const CASES: [FindingIs, string, () => Rule[], () => Rule[]][] = [
	[
		'mixed currencies',
		'compared',
		() => [rule('urgent', 'Price > Fee')],
		() => [rule('urgent', 'Price > 10')]
	],
	[
		'mixed currencies',
		'copied',
		() => [rule('price', 'Fee')],
		() => [rule('price', 'Fee / Fee * 3')]
	],
	[
		'mixed currencies',
		'summed',
		() => [rule('share', 'sum(Price, Fee)')],
		() => [rule('share', 'sum(Price, 3)')]
	],
	[
		'mixed currencies',
		'between',
		() => [rule('urgent', 'Price between 1 and Fee')],
		() => [rule('urgent', 'Price between 1 and 9')]
	],
	[
		'mixed currencies',
		'each record its own',
		() => [rule('heads', 'sum(deals.cost)', { type: 'firm' })],
		() => [rule('heads', 'sum(deals[Coin = "EUR"].cost)', { type: 'firm' })]
	],
	[
		'percent as fraction',
		'times',
		() => [rule('share', 'Amount * Rate')],
		() => [rule('share', 'Amount * Rate / 100')]
	],
	[
		'percent as fraction',
		'taken from 1',
		() => [rule('share', 'Amount * (1 - Rate)')],
		() => [rule('share', 'Amount * (1 - Rate / 100)')]
	],
	[
		'same branches',
		'of an if',
		() => [rule('size', 'if Urgent then "Small" else "Small"')],
		() => [rule('size', 'if Urgent then "Small" else "Large"')]
	],
	[
		'empty range',
		'between',
		() => [rule('share', '1', { if: 'Amount between 10 and 5' })],
		() => [rule('share', '1', { if: 'Amount between 5 and 10' })]
	],
	[
		'empty range',
		'an open end',
		() => [rule('share', '1', { if: 'Amount in (5..5]' })],
		() => [rule('share', '1', { if: 'Amount in [5..5]' })]
	],
	[
		'empty range',
		'of days',
		() => [rule('share', '1', { if: 'Day in [@"2026-02-01"..@"2026-01-01"]' })],
		() => [rule('share', '1', { if: 'Day in [@"2026-01-01"..@"2026-02-01"]' })]
	],
	[
		'never seen to give',
		'division by nothing',
		() => [rule('share', 'Amount / (Amount - Amount)')],
		() => [rule('share', 'Amount / (Amount - 1)')]
	],
	[
		'never seen to give',
		'over related records',
		() => [
			rule('heads', 'sum(deals.amount) / (sum(deals.amount) - sum(deals.amount))', { type: 'firm' })
		],
		() => [
			rule('heads', 'sum(deals.amount) / count(deals)', { type: 'firm' }),
			rule('name', 'string(max(deals[Stage = "Won" and Amount > 90].day))', { type: 'firm' })
		]
	],
	[
		'stays blank',
		'a counter',
		() => [rule('share', 'was.Share + 1', { if: 'changed(Stage)' })],
		() => [rule('share', 'otherwise(was.Share, 0) + 1', { if: 'changed(Stage)' })]
	],
	[
		'blank into else',
		'a condition on a number',
		() => [rule('size', 'if Amount > 5 then "Large" else "Small"')],
		() => [
			rule('size', 'if is blank(Amount) then null else if Amount > 5 then "Large" else "Small"')
		]
	],
	[
		'blank unsaid',
		'by a formula',
		() => [rule('share', unsaid('Amount * 2'))],
		() => [rule('share', 'Amount * 2')]
	],
	[
		'blank unsaid',
		'by a formula that could ask for it',
		() => [rule('share', unsaid('Amount * otherwise(Rate, 0)'))],
		() => [rule('share', unsaid('if is blank(Amount) then null else Amount * otherwise(Rate, 0)'))]
	],
	[
		'blank unsaid',
		'through a link',
		() => [rule('share', unsaid('firm.heads'))],
		() => [rule('share', unsaid('otherwise(firm.heads, 1)'))]
	],
	[
		'set off by nothing',
		'today alone',
		() => [rule('day', 'today + duration("P7D")')],
		() => [rule('day', 'today + duration("P7D")', { watch: ['stage'] })]
	],
	[
		'narrow moment',
		'new records only',
		() => [rule('share', 'Amount * 2', { moments: ['created'] })],
		() => [rule('share', 'Amount * 2', { output: { hold: 'once' }, moments: ['created'] })]
	],
	[
		'nobody can save',
		'required and read-only',
		() => [state('note', 'required', { if: 'Urgent' }), state('note', 'read-only')],
		() => [
			state('note', 'required', { if: 'Urgent' }),
			state('note', 'read-only', { if: 'Urgent = false' })
		]
	],
	[
		'nobody can save',
		'required and Locked without a result',
		() => [state('share', 'required'), rule('share', 'Amount * 2', locked)],
		() => [state('share', 'required'), rule('share', 'otherwise(Amount, 0) * 2', locked)]
	],
	[
		'refused although set by a rule',
		'a Locked value',
		() => [
			validate('share', check('Share < 100')),
			rule('share', 'if is blank(Amount) then 1 else Amount * 2', locked)
		],
		() => [
			validate('share', check('Share < 100')),
			rule('share', 'if Urgent then 1 else 2', { ...locked })
		]
	],
	[
		'required while hidden',
		'under one condition',
		() => [state('note', 'required', { if: 'Urgent' }), state('note', 'hidden', { if: 'Urgent' })],
		() => [
			state('note', 'required', { if: 'Urgent' }),
			state('note', 'hidden', { if: 'Stage = "Lost"' })
		]
	],
	[
		'no option left',
		'two limits',
		() => [
			state('size', 'limited', {}, ['small']),
			state('size', 'limited', { if: 'Urgent' }, ['large'])
		],
		() => [
			state('size', 'limited', {}, ['small', 'large']),
			state('size', 'limited', { if: 'Urgent' }, ['large'])
		]
	]
];

describe('a planted mistake is found, and its twin is clean', () => {
	it.each(CASES)('%s: %s', (is, _, planted, clean) => {
		expect(how(is, setOf(planted()))).toBeGreaterThan(0);
		expect(how(is, setOf(clean()))).toBe(0);
	});

	it('a row of a table without its key', () => {
		const table = (keys: (string | null)[]) => ({
			id: 'rates',
			label: 'Rates',
			why: '',
			columns: [
				{ id: 'name', label: 'Name', type: 'text' as const },
				{ id: 'rate', label: 'Rate', type: 'number' as const }
			],
			keys: [{ match: 'loose' as const, column: 'name' }],
			rows: keys.map((k) => [k, '1'])
		});
		const one = (keys: (string | null)[]) =>
			how('row never found', { rules: [], order: {}, tables: [table(keys)] });
		expect(one(['a', null, ' '])).toBe(2);
		expect(one(['a', 'b'])).toBe(0);
		const range = (rows: (string | null)[][]) =>
			how('row never found', {
				rules: [],
				order: {},
				tables: [
					{
						...table([]),
						columns: ['from', 'to', 'rate'].map((id) => ({
							id,
							label: id,
							type: 'number' as const
						})),
						keys: [{ match: 'range' as const, from: 'from', to: 'to' }],
						rows
					}
				]
			});
		expect(range([['10', '7', '1']])).toBe(1);
		expect(
			range([
				['7', '7', '1'],
				[null, '6', '1'],
				['8', null, '1']
			])
		).toBe(0);
		// and two keys that are one under the loose matching of the table
		const doubled = (keys: string[]) =>
			how('doubled key', { rules: [], order: {}, tables: [table(keys)] });
		expect(doubled(['Zéphyr & Co', 'zephyr  & CO'])).toBe(1);
		expect(doubled(['Zéphyr', 'Zephyra'])).toBe(0);
	});

	it('a table says what a key without a row means; only a mistake stops a release', () => {
		const look: Body = {
			kind: 'lookup',
			table: 'desk',
			keys: [{ text: 'Stage' }],
			columns: ['share'],
			several: 'no result'
		};
		const set = (missing?: 'nothing' | 'leave' | 'mistake'): RuleSet =>
			setOf([rule('share', look)], {
				tables: [
					{
						id: 'desk',
						label: 'Desk',
						why: '',
						columns: [
							{ id: 'stage', label: 'Stage', type: 'choice', list: 'stage' },
							{ id: 'share', label: 'Share', type: 'number' }
						],
						keys: [{ match: 'exact', column: 'stage' }],
						rows: [
							['open', '1'],
							['won', '2']
						],
						...(missing ? { missing } : {})
					}
				]
			});
		const said = (missing?: 'nothing' | 'leave' | 'mistake') =>
			found(set(missing)).map((f) => [f.is, f.severity]);
		expect(said()).toEqual([['key without a row', 'advisory']]);
		expect(said('nothing')).toEqual([]);
		expect(said('leave')).toEqual([]);
		expect(said('mistake')).toEqual([['missing row', 'blocking']]);
	});

	it('a circle is one finding, with all the rules in it', () => {
		const [f, ...rest] = found(setOf([rule('share', 'Amount'), rule('amount', 'Share')]));
		expect(rest).toEqual([]);
		expect(f.others).toHaveLength(1);
		expect(f.message).toContain('Deal: Amount → Deal: Share');
	});
});

describe('definitions are looked through', () => {
	const definition = (text: string, ...params: string[]): Definition => ({
		id: 'd1',
		name: 'Worked out',
		why: '',
		type: 'deal',
		params: params.map((name) => ({ name, type: 'number' })),
		result: null,
		body: { text }
	});
	const with_ = (d: Definition, ...rules: Rule[]) => setOf(rules, { definitions: [d] });

	it('in conditions, as if they stood there', () => {
		const never = (text: string) =>
			how('never applies', with_(definition(text), rule('share', '1', { if: 'Worked out' })));
		expect(never('Amount > 9 and Amount < 3')).toBe(1);
		expect(never('Amount > 3 and Amount < 9')).toBe(0);
		const given = (call: string) =>
			how(
				'never applies',
				with_(definition('x > 9 and x < 20', 'x'), rule('share', '1', { if: call }))
			);
		expect(given('Worked out(Amount) and Amount < 5')).toBe(1);
		expect(given('Worked out(Amount) and Amount < 15')).toBe(0);
	});
	it('in what formulas compute', () => {
		const d = definition('x * Rate', 'x');
		expect(how('percent as fraction', with_(d, rule('share', 'Worked out(Amount)')))).toBe(1);
		const blank = rule('share', unsaid('Worked out(Amount)'));
		expect(how('blank unsaid', with_(definition('x * 2', 'x'), blank))).toBe(1);
		expect(how('blank unsaid', with_(definition('otherwise(x, 0) * 2', 'x'), blank))).toBe(0);
	});
	it('and left alone where a name would come to mean something else', () => {
		const d = definition('count(for x in [1, 2] return x) + x', 'x');
		const set = with_(d, rule('share', 'Worked out(Amount)'));
		expect(found(set).filter((f) => f.is === 'rule fault')).toEqual([]);
	});
});

describe('what no record made up can show', () => {
	const message = (to: string): Rule => ({
		...rule('note', {
			kind: 'message',
			each: null,
			filter: null,
			to: { text: to },
			subject: ['Stage'],
			text: ['It is ', { text: 'Stage' }],
			once: 'event'
		}),
		outputs: [],
		guard: { text: 'changed(Stage)' }
	});
	it.each([
		[
			'records further on',
			() => rule('share', 'if is blank(Title) then null else sum(firm.deals.amount)')
		],
		[
			'a certain record',
			() => rule('share', 'if is blank(Title) then null else record("Firm", 12).heads')
		],
		['the address of a certain record', () => message('record("Firm", 12).mail')],
		['an address among several', () => message('firm.deals[1].firm.mail')]
	])('is listed as not analysed, and not told as a mistake: %s', (_, make) => {
		const { findings, open } = checked(setOf([make()]));
		expect(findings).toEqual([]);
		expect(open).toHaveLength(1);
	});
	it('a message whose address is never there is advice, one asked for in vain blocks', () => {
		const [f] = found(setOf([message('if is blank(Note) then null else trim(" ")')]));
		expect([f.is, f.severity]).toEqual(['goes to nobody', 'advisory']);
	});
});
