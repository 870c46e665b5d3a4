/** Each kind of finding: rule sets that have it, and rule sets that only look as if they had. Invented data. */
import { describe, expect, it } from 'vitest';
import type { ReferenceTable } from '../document/model';
import type { Body, MatchBody } from '../document/rules';
import { ENTRY_POINTS } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { zones } from '../../runtime/zones';
import { analyse } from './findings';
import { repaired } from './repair';
import {
	afterRepair,
	bands,
	check,
	found,
	messages,
	options,
	rule,
	says,
	schema,
	setOf,
	type More
} from '../../../tests/deals';

describe('a gap in bands or options', () => {
	const gap = /Nothing takes/;
	it('is found at a record that comes in by the road and at the moment the rule takes', () => {
		const body = bands(['10', '20'], ['small', null, 'large']);
		expect(says(gap, rule('size', body))).toBe(1);
		expect(says(gap, rule('size', body, { moments: ['changed'] }))).toBe(1);
		expect(says(gap, rule('size', body, { entryPoints: ['import'] }))).toBe(1);
		expect(says(gap, rule('size', body, { watch: ['stage'] }))).toBe(1);
		expect(says(gap, rule('size', body, { entering: true, if: 'Urgent' }))).toBe(1);
	});
	it('is found under a condition that takes some finding, and not under one that keeps it away', () => {
		const body = bands(['10', '20'], ['small', null, 'large']);
		expect(says(gap, rule('size', body, { if: 'Urgent or Share > 100 and Stage != "Won"' }))).toBe(
			1
		);
		expect(says(gap, rule('size', body, { if: 'Amount < 10 or Amount >= 20' }))).toBe(0);
		expect(says(gap, rule('size', body, { if: 'Firm.Heads > 5' }))).toBe(1);
	});
	it('is not one where a claim above takes the case, and is one where it takes part of it', () => {
		const body = bands(['10', '20'], ['small', null, 'large']);
		const above = (text: string) =>
			rule('size', 'if Stage = "Won" then "Small" else "Medium"', { if: text });
		expect(says(gap, above('Amount >= 10 and Amount < 25'), rule('size', body))).toBe(0);
		expect(says(gap, above('Urgent != true'), rule('size', body))).toBe(1);
	});
	it('of whole numbers is none between two of them', () => {
		const firm = (b: Body) => rule('size', b, { type: 'firm' });
		const between: Body = {
			...(bands(['10', '11'], ['small', null, 'large'], 'Heads') as Body & { kind: 'bands' }),
			limits: [
				{ at: '10', belongs: 'below' },
				{ at: '11', belongs: 'above' }
			]
		};
		expect(says(gap, firm(between))).toBe(0);
	});
	it('over what a formula computes is listed as not analysed', () => {
		const set = setOf([
			rule('size', bands(['10', '20'], ['small', null, 'large'], 'Amount + Share'))
		]);
		expect(analyse(compilePlan(schema, set), set, zones).open[0].message).toContain(
			'what a formula computes'
		);
	});
	it('behind a condition that computes is shown where a record shows it, else listed', () => {
		const body = bands(['10', '20'], ['small', null, 'large']);
		expect(says(gap, rule('size', body, { if: 'string length(Note) > 1' }))).toBe(1);
		const set = setOf([rule('size', body, { if: 'string length(Note) > 400' })]);
		const { findings, open } = analyse(compilePlan(schema, set), set, zones);
		expect(findings.filter((f) => gap.test(f.message))).toEqual([]);
		expect(open.map((o) => o.message).join()).toContain('nothing takes [10..20)');
	});
	it('through a link carries the record it links to', () => {
		const [f] = found(
			setOf([rule('size', bands(['10', '20'], ['small', null, 'large'], 'Firm.Heads'))])
		);
		expect(f.near).toMatchObject([{ type: 'firm', values: { heads: '10' } }]);
	});
});

describe('an option nobody mapped', () => {
	const unmapped = /Nobody mapped/;
	it('is found; a retired one and one that is mapped are not', () => {
		expect(says(unmapped, rule('size', options({ open: 'small', won: 'small' })))).toBe(1);
		expect(says(unmapped, rule('size', options({ open: 'small', won: 'small', lost: null })))).toBe(
			1
		);
		expect(
			says(unmapped, rule('size', options({ open: 'small', won: 'small', lost: 'large' })))
		).toBe(0);
	});
	it('is not where somebody said that it gives nothing', () => {
		const saying = (nothing: string[]) =>
			({ ...options({ open: 'small', won: 'small' }), nothing }) as Body;
		expect(says(unmapped, rule('size', saying(['lost'])))).toBe(0);
		expect(says(unmapped, rule('size', saying(['won'])))).toBe(1);
	});
	it('is mapped by its repair to what most are, and not where nothing stands out', () => {
		const most = setOf([rule('size', options({ open: 'small', won: 'small' }))]);
		expect(afterRepair(unmapped, most)).toEqual([]);
		const [f] = found(setOf([rule('size', options({ open: 'small', won: 'large' }))]));
		expect(f.repair).toBeUndefined();
	});
	it('that is retired and still spoken of is advice', () => {
		expect(says(/retired/, rule('share', '1', { if: 'Size = "Old"' }))).toBe(1);
		expect(
			says(/speaks of “Old”/, rule('size', options({ open: 'old', won: 'small', lost: 'large' })))
		).toBe(1);
		expect(says(/retired/, rule('share', '1', { if: 'Size = "Large"' }))).toBe(0);
	});
	it('that does not exist is an error that lists those there are', () => {
		expect(messages(setOf([rule('share', 'if Stage = "Gone" then 1 else 2')]))[0]).toMatch(
			/“Gone”.*“Open”, “Won”, “Lost”/s
		);
	});
});

describe('a look-up', () => {
	const desk = (rows: ReferenceTable['rows']): ReferenceTable => ({
		id: 't',
		label: 'Desk',
		why: '',
		columns: [
			{ id: 'stage', label: 'Stage', type: 'choice', list: 'stage' },
			{ id: 'v', label: 'Value', type: 'number' }
		],
		keys: [{ match: 'exact', column: 'stage' }],
		rows
	});
	const look = (more: More = {}) =>
		rule(
			'share',
			{
				kind: 'lookup',
				table: 't',
				keys: [{ text: 'Stage' }],
				columns: ['v'],
				several: 'first'
			},
			more
		);
	it('lacks a row, and the repair adds one that still says what it lacks', () => {
		const set = setOf([look()], {
			tables: [
				desk([
					['open', '1'],
					['won', '2']
				])
			]
		});
		expect(messages(set)).toEqual(['“Desk” has no row for “Lost” of Stage; it gives no result.']);
		expect(afterRepair(/no row/, set)).toEqual([
			'The row for “Lost” in “Desk” has no value, so Share gets nothing.'
		]);
	});
	it('that passes on, or whose condition keeps the key away, lacks nothing', () => {
		const tables = [
			desk([
				['open', '1'],
				['won', '2']
			])
		];
		expect(messages(setOf([look(), rule('share', 'Amount')], { tables }))).toEqual([]);
		expect(messages(setOf([look({ if: 'Stage != "Lost"' })], { tables }))).toEqual([]);
	});
	it('finds both of two rows for one key, and of two ranges that overlap', () => {
		const twice = desk([
			['open', '1'],
			['won', '2'],
			['open', '3'],
			['lost', '4']
		]);
		expect(messages(setOf([], { tables: [twice] }))).toEqual([
			'Desk: rows 1 and 3 both have Stage Open, so a look-up finds both.'
		]);
		const ranges = (rows: ReferenceTable['rows']): ReferenceTable => ({
			...twice,
			columns: [
				{ id: 'from', label: 'From', type: 'number' },
				{ id: 'to', label: 'To', type: 'number' }
			],
			keys: [{ match: 'range', from: 'from', to: 'to' }],
			rows
		});
		const of = (rows: ReferenceTable['rows']) => messages(setOf([], { tables: [ranges(rows)] }));
		expect(
			of([
				['1', '5'],
				['5', '9']
			])
		).toHaveLength(1);
		expect(
			of([
				['1', '4'],
				['5', '9']
			])
		).toEqual([]);
	});
});

describe('a match', () => {
	const match = (several: MatchBody['several']): Body => ({
		kind: 'match',
		type: 'firm',
		on: [{ field: 'name', how: 'loose', value: { text: 'Company' } }],
		several
	});
	it('that takes the first of several is advice, with two records that match', () => {
		const [f] = found(setOf([rule('firm', match('first'))]));
		expect(f.message).toMatch(/^Several firms can match/);
		expect(f.near).toHaveLength(2);
		expect(afterRepair(/Several/, setOf([rule('firm', match('first'))]))).toEqual([]);
	});
	it('that leaves or clears is none', () => {
		for (const several of ['leave', 'clear', 'no result'] as const)
			expect(messages(setOf([rule('firm', match(several))]))).toEqual([]);
	});
});

describe('a condition', () => {
	it.each([
		['Amount > 10 and Amount < 5', 'never'],
		['Amount > 10 and Amount < 11', 'depends'],
		['Stage = "Won" and Stage = "Lost"', 'never'],
		['Stage != "Won" or Stage != "Lost"', 'always'],
		['Amount > 10 or Amount <= 10', 'depends'],
		['is blank(Amount) or Amount > 10 or Amount <= 10', 'always'],
		['Urgent and not(Urgent)', 'never'],
		['Firm.Heads > 5 and Firm.Heads < 6', 'never'],
		['Amount in [1..3] and Amount in [4..9]', 'never'],
		['Day > date("2026-03-01") and Day < date("2026-03-03")', 'depends'],
		['Day > date("2026-03-01") and Day < date("2026-03-02")', 'never'],
		['Note = "a" and Note = "b"', 'never'],
		['is blank(Firm) and Firm.Heads > 5', 'never'],
		['true', 'always'],
		['Amount * 0 = 0 or is blank(Amount)', 'not known'],
		['string length(Note) > 1', 'depends'],
		['changed(Stage)', 'depends'],
		['was.Stage = "Won" and Stage = "Lost"', 'depends']
	])('%s: %s', (text, truth) => {
		const set = setOf([rule('share', '1', { if: text })]);
		const { findings, open } = analyse(compilePlan(schema, set), set, zones);
		const said = findings.map((f) => f.message).join();
		const got = said.includes('never hold')
			? 'never'
			: said.includes('always holds')
				? 'always'
				: open.some((o) => o.message.startsWith('Its condition'))
					? 'not known'
					: 'depends';
		expect(got, said).toBe(truth);
	});
	it('that always holds goes by its repair', () => {
		const set = setOf([rule('share', 'Amount', { if: 'true' })]);
		expect(afterRepair(/always holds/, set)).toEqual([]);
	});
	it('that always holds and is to come to hold is told, and not taken away', () => {
		const [f] = found(setOf([rule('share', '1', { if: 'true', entering: true })]));
		expect(f.message).toContain('on new records only');
		expect([f.repair, f.certificate]).toEqual([undefined, 'it reads no field']);
	});
	it('of an update speaks of the record that sets it off', () => {
		const each = (text: string) => rule('share', '1', { each: 'firm', if: text, watch: ['key'] });
		expect(says(/never hold/, each('Heads > 5 and Heads < 3'))).toBe(1);
		expect(says(/never hold/, each('Heads > 5 and Key'))).toBe(0);
	});
});

describe('a check', () => {
	const validate = (body: Body, more: More = {}) =>
		rule('amount', body, { kind: 'validate', ...more });
	it('that always or never holds', () => {
		expect(says(/always holds/, validate(check('is blank(Amount) or Amount != null')))).toBe(1);
		expect(says(/can never hold/, validate(check('Amount > 3 and Amount < 2')))).toBe(1);
		expect(says(/hold/, validate(check('Amount > 2 and Amount < 3')))).toBe(0);
	});
	it('that another one refuses wherever both count is shown by a record that cannot be saved', () => {
		const clash = /never both be met/;
		expect(says(clash, validate(check('Amount > 10')), validate(check('Amount < 5')))).toBe(1);
		expect(says(clash, validate(check('Amount > 10')), validate(check('Amount < 15')))).toBe(0);
		expect(
			says(
				clash,
				validate(check('Amount > 10'), { if: 'Urgent' }),
				validate(check('Amount < 5'), { if: 'Urgent = false' })
			)
		).toBe(0);
		expect(
			says(
				clash,
				validate(check('Amount > 10'), { if: 'Urgent' }),
				validate(check('Amount < 5'), { if: 'Stage = "Won"' })
			)
		).toBe(1);
		// one that only advises refuses nothing
		expect(says(clash, validate(check('Amount > 10')), validate(check('Amount < 5', false)))).toBe(
			0
		);
	});
});

describe('a claim that is always outranked', () => {
	const outranked = /never gives/;
	it.each([
		['the same conditions above', 'Urgent', 'Urgent', 1],
		['a wider one above', 'Amount > 5', 'Amount > 10', 1],
		['a narrower one above', 'Amount > 10', 'Amount > 5', 0],
		['two that cover it only together', 'Urgent', 'Stage = "Won"', 0]
	])('%s', (_, above, below, times) => {
		expect(
			says(
				outranked,
				rule('share', '1', { if: above }),
				rule('share', '2', { if: below, output: { none: 'clear' } })
			)
		).toBe(times);
	});
	it('by several that cover it together', () => {
		const rules = [
			rule('share', '1', { if: 'Amount <= 10' }),
			rule('share', '2', { if: 'Amount > 10' }),
			rule('share', '3', { if: 'Amount != null' })
		];
		const [f] = found(setOf(rules)).filter((x) => outranked.test(x.message));
		expect(f.rule).toBe(rules[2].id);
		expect(f.message).toContain(`“${rules[0].name}” and “${rules[1].name}”`);
	});
	it('not where the one above has no result, leaves other roads, or comes at other moments', () => {
		const below = () => rule('share', '2');
		expect(says(outranked, rule('share', 'Amount'), below())).toBe(0);
		expect(says(outranked, rule('share', '1', { entryPoints: ['api'] }), below())).toBe(0);
		expect(says(outranked, rule('share', '1', { moments: ['created'] }), below())).toBe(0);
		expect(says(outranked, rule('share', '1', { output: { hold: 'once' } }), below())).toBe(0);
		expect(says(outranked, rule('share', '1'), below())).toBe(1);
	});
});

describe('a claim that gives nothing in any case', () => {
	it.each([
		['null', 1],
		['if Urgent then null else null', 1],
		['if Urgent then Amount else null', 0],
		['Amount', 0]
	])('%s: %s', (text, times) => {
		expect(says(/nothing in any case/, rule('share', text))).toBe(times);
	});
	it('not where nothing is what it is for: it clears', () => {
		expect(says(/in any case/, rule('share', 'null', { output: { none: 'clear' } }))).toBe(0);
	});
});

describe('what fails, or does not fit', () => {
	it('is shown by a record at which it fails', () => {
		const retired = rule('size', 'if Urgent then "Old" else "Small"');
		expect(messages(setOf([retired])).join()).toMatch(/It fails.*retired/);
		expect(messages(setOf([rule('size', 'if Urgent = true then "Large" else "Small"')]))).toEqual(
			[]
		);
	});
	it('a result outside what is left of its options', () => {
		const limit = rule(
			'size',
			{ kind: 'allowed', input: 'stage', rows: { won: ['small'] } },
			{
				kind: 'validate'
			}
		);
		expect(
			says(/It fails/, limit, rule('size', options({ open: 'small', won: 'large', lost: 'small' })))
		).toBe(1);
		expect(
			says(/It fails/, limit, rule('size', options({ open: 'large', won: 'small', lost: 'large' })))
		).toBe(0);
	});
	it('a date where a moment is wanted, a text where a number is', () => {
		expect(messages(setOf([rule('at', 'Day')]))[0]).toMatch(/date/);
		expect(messages(setOf([rule('amount', 'Note')]))[0]).toMatch(/text/);
		expect(messages(setOf([rule('day', 'Day')]))).toHaveLength(1);
	});
	it('amounts of different currencies', () => {
		expect(says(/EUR and USD/, rule('share', 'Price + Fee'))).toBe(1);
		expect(says(/EUR and USD/, rule('share', 'Price / Price'))).toBe(0);
	});
});

describe('texts', () => {
	const spaces = /space/;
	it.each([
		['Company + " " + Note', 0],
		['Company + "-" + Note', 0],
		['if is blank(Note) then Company else Company + " " + Note', 0],
		['squeeze(Company + " " + Note)', 0],
		['"x " + otherwise(Note, "")', 1]
	])('composed by %s: %s', (text, times) => {
		expect(says(spaces, rule('title', text))).toBe(times);
	});
	it('are squeezed by the repair', () => {
		const set = setOf([rule('title', '"x " + otherwise(Note, "")')]);
		expect(afterRepair(spaces, set)).toEqual([]);
	});
});

describe('a result that changes when it is given again', () => {
	it.each([
		['trim(sent.Note)', 0],
		['upper case(sent.Note)', 0],
		['sent.Note + "!"', 1],
		['replace(sent.Note, "a", "aa")', 1]
	])('%s: %s', (text, times) => {
		expect(says(/given again/, rule('note', text))).toBe(times);
	});
});

describe('an entry point left out', () => {
	const road = /where the rule gives/;
	it('by which the field gets another value is advice, and the repair takes every one', () => {
		const r = rule('share', 'Amount * 2', { entryPoints: ['full', 'short'] });
		expect(says(road, r)).toBe(1);
		expect(afterRepair(road, setOf([r]))).toEqual([]);
	});
	it('is none where the other roads come to the same, or all but the bulk change are taken', () => {
		const r = rule('share', 'Amount * 2', { entryPoints: ['full'] });
		const rest = rule('share', 'Amount * 2');
		expect(says(road, r, rest)).toBe(0);
		expect(
			says(
				road,
				rule('share', 'Amount * 2', { entryPoints: ENTRY_POINTS.filter((e) => e !== 'bulk') })
			)
		).toBe(0);
	});
});

describe('what goes stale', () => {
	it('a watch that leaves out what is read, and one that watches what is not', () => {
		expect(says(/go stale/, rule('share', 'Amount + Rate', { watch: ['amount'] }))).toBe(1);
		expect(says(/go stale/, rule('share', 'Amount', { watch: ['amount'] }))).toBe(0);
		const both = setOf([rule('share', 'Amount', { watch: ['amount', 'stage'] })]);
		expect(messages(both)).toEqual([
			'It watches Stage and does not read it, so it runs without a reason.'
		]);
		expect(afterRepair(/watches Stage/, both)).toEqual([]);
		// a stamp reads nothing of the record
		expect(messages(setOf([rule('at', 'now()', { watch: ['stage'] })]))).toEqual([]);
	});
	it('a standing value that depends on today, and not one stamped on an event', () => {
		const today = /days pass/;
		expect(says(today, rule('urgent', 'Day < today()'))).toBe(1);
		expect(says(today, rule('day', 'today()', { watch: ['note'] }))).toBe(0);
		expect(says(today, rule('day', 'today()', { if: 'changed(Stage)' }))).toBe(0);
	});
});

describe('an update or event that the claim order undoes', () => {
	const undone = /makes it .* again at the next save/;
	const locked = rule('share', 'Amount', { output: { hold: 'locked' } });
	it('where a Locked rule stands behind it', () => {
		const event = rule('share', '7', { if: 'changed(Stage)' });
		expect(says(undone, event, locked)).toBe(1);
		const update = (text: string) => rule('share', '7', { each: 'firm', if: text, watch: ['key'] });
		expect(says(undone, update('changed(Key)'), locked)).toBe(1);
		// a condition that goes on holding keeps the Locked rule out
		expect(says(undone, update('Key'), locked)).toBe(0);
	});
	it('not where it stands in front, or only follows', () => {
		const event = rule('share', '7', { if: 'changed(Stage)' });
		expect(says(undone, locked, event)).toBe(0);
		expect(says(undone, event, rule('share', 'Amount'))).toBe(0);
	});
});

describe('what people overrule', () => {
	const r = rule('share', 'Amount');
	const history = (wrote: number, overruled: number) => ({
		[`${r.id}:o`]: { wrote, overruled, since: '2026-08-01' }
	});
	it('often is advice with history as its proof, seldom is none', () => {
		expect(messages(setOf([r]), history(20, 9))).toEqual([
			'People overruled it 9 times of the 20 that it set Share.'
		]);
		expect(messages(setOf([r]), history(20, 3))).toEqual([]);
		expect(messages(setOf([r]), history(100, 9))).toEqual([]);
	});
	it('is not told of rules that people cannot overrule', () => {
		const locked = { ...r, outputs: [{ ...r.outputs[0], hold: 'locked' as const }] };
		expect(messages(setOf([locked]), history(20, 9))).toEqual([]);
	});
});

describe('a row that a decision table lacks', () => {
	const table = (rows: string[]): Body => ({
		kind: 'table',
		hit: 'U',
		inputs: [{ text: 'Amount' }, { text: 'Firm.Size' }],
		rows: rows.map((r, i) => ({
			id: `x${i}`,
			when: r.split(' | ').map((text) => ({ text })),
			then: [{ text: '1' }]
		}))
	});
	it('is added by its repair, which leaves what it gives to be written', () => {
		const set = setOf([
			rule('share', table(['< 10 | -', '>= 20 | -', '[10..20) | "Small"', 'null | -']))
		]);
		const f = found(set).find((x) => x.message.startsWith('No row takes'))!;
		expect(f.message).toMatch(/No row takes Amount 10, Size (Medium|Large)\./);
		const left = messages(repaired(set, f.repair!, schema));
		expect(left.filter((m) => m === f.message)).toEqual([]);
		expect(left.join()).toMatch(/value is missing/);
	});
});
