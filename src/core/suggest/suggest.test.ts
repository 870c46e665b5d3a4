/** Rules that records propose: those that made the demo's values are found again, and chance finds none. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { settledRecords } from '../../../demo/records';
import { demoModel } from '../../../demo/model';
import { demoDraft } from '../../../demo/rules';
import { zones } from '../../runtime/zones';
import type { JsonValue } from '../document/json';
import { Schema, type Model } from '../document/model';
import type { RuleSet } from '../document/rules';
import { valuesFromJson } from '../trials/records';
import { atLeast, shuffled, signTest } from './chance';
import { entropyCuts, roundest } from './numbers';
import { suggest, type Suggestion } from './suggest';

const all = settledRecords({ customers: 450, contacts: 500, leads: 600, deals: 1200 });
/** The demo with its tables and without any rule. */
const set: RuleSet = {
	rules: [],
	order: {},
	definitions: demoDraft.definitions,
	tables: demoDraft.tables
};
const schema = new Schema(demoModel, set);
const instant = Date.UTC(2026, 10, 20, 8);

type Records = ReadonlyMap<string, readonly { values: readonly unknown[] }[]>;

function evidence(records: Records, type: string, field: string) {
	const of = (t: string) =>
		records.get(t)!.map((r, i) => ({ type: t, id: String(i + 1), values: r.values as never }));
	const near = [...records.keys()].filter((t) => t !== type).flatMap(of);
	return { schema, set, type, field, records: of(type), near, instant, zones };
}
const foundFor = (field: string) => {
	const [type, id] = field.split('.');
	return suggest(evidence(all, type, id)).found;
};

/** The rules of the demo that show in stored values: the field, how it gets its value, and from what. */
const SHOWS: [field: string, how: Suggestion['how'][], from: string][] = [
	['customer.label_lines', ['bands', 'cases'], 'Trading name'],
	['customer.size_class', ['bands', 'table'], 'Headcount'],
	['customer.service_district', ['table'], 'Postal code'],
	['customer.trading_region', ['table', 'options'], 'Country'],
	['customer.currency', ['table', 'options'], 'Country'],
	['customer.permitted_fuels', ['options'], 'Country'],
	['customer.service_plan', ['options'], 'Key grower'],
	['customer.open_deals', ['related'], 'Stage'],
	['customer.order_value_to_date', ['related'], 'Net amount of deals'],
	['customer.last_order_on', ['related'], 'Close date of deals'],
	['contact.given_name', ['part'], 'Full name as received'],
	['contact.family_name', ['part'], 'Full name as received'],
	['contact.greeting', ['text'], 'Given name'],
	['contact.delivery_yard', ['part'], 'Site code'],
	['lead.follow_up_urgency', ['options'], 'Enquiry channel'],
	['lead.customer', ['match'], 'Company as typed'],
	['lead.expected_value', ['cases'], 'Glass area'],
	['deal.name', ['text'], 'Customer › Trading name'],
	['deal.probability', ['options'], 'Stage'],
	['deal.freight_paid_by', ['options'], 'Delivery rule'],
	['deal.discount_limit_percent', ['cases'], 'Customer › Size class'],
	['deal.net_amount', ['calculation'], 'Discount %'],
	['deal.survey_fee', ['options', 'cases'], 'Site survey needed'],
	['deal.supply_phases', ['options', 'cases'], 'Heat pump'],
	['deal.fiscal_quarter', ['text'], 'Close date']
];

describe('what the records of the demo propose, without any rule', () => {
	it.each(SHOWS)('%s comes first or second', (field, hows, from) => {
		const found = foundFor(field);
		expect(found.length).toBeLessThanOrEqual(5);
		const two = found.slice(0, 2);
		const mine = two.find((s) => hows.includes(s.how) && s.reads.some((l) => l.includes(from)));
		expect(mine, JSON.stringify(two.map((s) => [s.how, s.reads]))).toBeDefined();
		expect(mine!.explains + mine!.differ.length).toBeLessThanOrEqual(mine!.of);
	});

	it('gives the limits, the rate and the text that the rules have', () => {
		const [size] = foundFor('customer.size_class');
		expect(size.rule.body).toMatchObject({
			kind: 'bands',
			limits: [{ at: '10' }, { at: '50' }, { at: '250' }].map((l) => ({ ...l, belongs: 'above' })),
			results: [['micro'], ['small'], ['medium'], ['large']]
		});
		const [value] = foundFor('lead.expected_value');
		const rates = value.rule.body.kind === 'cases' ? value.rule.body.rows : [];
		expect(JSON.stringify(rates.map((r) => r.then))).toContain('"v":"42"');
		expect(JSON.stringify(rates.map((r) => r.then))).toContain('"v":"25"');
		const [name] = foundFor('contact.greeting');
		expect(name.rule.body).toMatchObject({ texts: [['Dear ', { expr: { field: 'given_name' } }]] });
	});

	it('parts a name into both of its fields', () => {
		const [given] = foundFor('contact.given_name');
		expect(given.rule.outputs.map((o) => o.field)).toEqual(['given_name', 'family_name']);
		const [family] = foundFor('contact.family_name');
		expect(family.rule.outputs.map((o) => o.field)).toEqual(['given_name', 'family_name']);
		expect(family.explains).toBe(family.of);
	});

	it('lists what differs with what stands there and what the rule would give', () => {
		const [size] = foundFor('customer.size_class');
		expect(size.explains).toBeLessThan(size.of);
		expect(size.differ).toHaveLength(Math.min(50, size.of - size.explains));
		for (const d of size.differ) expect(d.stored).not.toEqual(d.gives);
	});
});

describe('records whose columns are shuffled', () => {
	const mixed = new Map(
		[...all].map(([type, records]) => {
			const places = schema
				.type(type)
				.type.fields.map((_, k) => shuffled(records.length, 31 * k + type.length));
			const values = (row: number) => places.map((p, k) => records[p[row]].values[k]);
			return [type, records.map((_, row) => ({ values: values(row) }))];
		})
	);
	it.each(demoModel.types.map((t) => t.id))('of %s propose nothing but a start value', (type) => {
		for (const f of schema.type(type).type.fields)
			for (const s of suggest(evidence(mixed, type, f.id)).found)
				expect(`${f.id} ${s.how}`).toBe(`${f.id} start value`);
	});
});

// ---- small worlds -----------------------------------------------------------------------------------

const model: Model = {
	zone: 'UTC',
	lists: [{ id: 'size', label: 'Size', options: ['a', 'b', 'c'].map((id) => ({ id, label: id })) }],
	types: [
		{
			id: 'thing',
			label: 'Thing',
			plural: 'Things',
			title: 'name',
			short: [],
			columns: [],
			fields: [
				{ id: 'name', label: 'Name', group: '', type: 'text' },
				{ id: 'code', label: 'Code', group: '', type: 'text' },
				{ id: 'amount', label: 'Amount', group: '', type: 'number' },
				{ id: 'half', label: 'Half', group: '', type: 'number' },
				{ id: 'size', label: 'Size', group: '', type: 'choice', list: 'size' }
			]
		}
	]
};
const small = new Schema(model);
const things = (
	field: string,
	rows: Record<string, JsonValue>[],
	more: { set?: RuleSet; examples?: Record<string, JsonValue> } = {}
) =>
	suggest({
		schema: small,
		set: { rules: [], order: {} },
		type: 'thing',
		field,
		records: rows.map((r, i) => ({ id: String(i + 1), values: valuesFromJson(small, 'thing', r) })),
		near: [],
		instant,
		zones,
		...more
	});

describe('what is proposed', () => {
	it('finds limits wherever they are, through a tenth of wrong values', () => {
		fc.assert(
			fc.property(fc.integer({ min: 100, max: 400 }), fc.nat(1000), (limit, seed) => {
				const xs = shuffled(500, seed + 1);
				const rows = xs.map((x, i) => ({
					amount: String(x),
					size: i % 10 === 0 ? 'c' : x >= limit ? 'b' : 'a'
				}));
				const [best] = things('size', rows).found;
				expect(best.how).toBe('bands');
				const [at] = best.rule.body.kind === 'bands' ? best.rule.body.limits : [];
				// a wrong value beside the limit may hide up to a few numbers of it
				expect(Math.abs(Number(at.at) - limit)).toBeLessThanOrEqual(5);
			}),
			{
				numRuns: 25,
				// three wrong values at the very end, and seven of eleven before the limit, are no bands of their own
				examples: [
					[100, 491],
					[105, 792]
				]
			}
		);
	});

	it('says nothing of a handful of records, and never fails on none', () => {
		expect(things('size', []).found).toEqual([]);
		expect(things('size', [{ amount: '1', size: 'a' }]).found).toEqual([]);
		const few = [1, 2, 3, 4].map((n) => ({ amount: String(n), half: String(n * 2) }));
		expect(things('half', few).found).toEqual([]);
	});

	it('explains no field by one that it decides', () => {
		const rows = Array.from({ length: 80 }, (_, i) => ({
			amount: String(i * 2),
			half: String(i)
		}));
		expect(things('amount', rows).found[0].reads).toEqual(['Half']);
		const half = things('half', rows).found[0];
		const rule = {
			...half.rule,
			id: 'half',
			type: 'thing',
			name: 'Half',
			why: '',
			moments: ['created' as const],
			entryPoints: null,
			watch: null,
			entering: false,
			guard: null
		};
		expect(things('amount', rows, { set: { rules: [rule], order: {} } }).found).toEqual([]);
	});

	it('is the same each time', () => {
		expect(foundFor('deal.probability')).toEqual(foundFor('deal.probability'));
	});
});

describe('by example', () => {
	const rows = ['ab-one', 'cd-two', 'ef-three', 'gh-four'].map((code, i) => ({
		code,
		amount: String(i * 10)
	}));

	it('finds what gives the values typed, though nothing is stored', () => {
		const { found, examples } = things('name', rows, { examples: { 1: 'one', 2: 'two' } });
		expect(examples).toBe(2);
		expect(found[0]).toMatchObject({ how: 'part', reads: ['Code'], agrees: 2, chance: null });
		expect(things('half', rows, { examples: { 2: '5', 3: '10' } }).found[0]).toMatchObject({
			how: 'calculation',
			agrees: 2
		});
	});

	it('puts what agrees with the examples before what the stored values say', () => {
		const many = Array.from({ length: 60 }, (_, i) => ({ code: `c${i}-x${i}`, name: `c${i}` }));
		expect(things('name', many).found[0].rule.body).toMatchObject({
			formulas: [{ expr: { fn: 'substring before' } }]
		});
		const { found } = things('name', many, { examples: { 1: 'x0', 2: 'x1', 3: 'x2' } });
		expect(found[0].agrees).toBe(3);
		expect(found[0].rule.body).toMatchObject({ formulas: [{ expr: { fn: 'substring after' } }] });
	});

	it('does not take a list of the examples for a rule', () => {
		const choices = ['a', 'b', 'c'].map((size, i) => ({ size, amount: String(i * 7) }));
		const examples = { 1: 'red', 2: 'tall', 3: 'old' };
		expect(things('name', choices, { examples }).found).toEqual([]);
	});
});

describe('chance', () => {
	it('is what the binomial distribution says', () => {
		// 9 or more of 10: 11/1024; 8 or more: 56/1024 (computed by hand)
		expect(signTest(9, 1)).toBeCloseTo(11 / 1024, 12);
		expect(signTest(8, 2)).toBeCloseTo(56 / 1024, 12);
		expect(signTest(0, 0)).toBe(1);
		expect(signTest(0, 7)).toBeCloseTo(1, 12);
		// 2 or more of 3 with one in ten: 3 · 0.01 · 0.9 + 0.001 (by hand)
		expect(atLeast(2, 3, 0.1)).toBeCloseTo(0.028, 12);
		expect([atLeast(1, 5, 0), atLeast(5, 5, 1), atLeast(0, 5, 0)]).toEqual([0, 1, 1]);
	});
	it('of so many happening is what is left of too many not happening', () => {
		const p = fc.double({ min: 0.001, max: 0.999, noNaN: true });
		fc.assert(
			fc.property(fc.integer({ min: 1, max: 60 }), fc.nat(60), p, (n, k, of) => {
				fc.pre(k >= 1 && k <= n);
				expect(atLeast(k, n, of)).toBeCloseTo(1 - atLeast(n - k + 1, n, 1 - of), 9);
			})
		);
	});
	it('orders by the seed alone, and loses nothing', () => {
		expect(shuffled(50, 7)).toEqual(shuffled(50, 7));
		expect(shuffled(50, 7)).not.toEqual(shuffled(50, 8));
		expect([...shuffled(50, 7)].sort((a, b) => a - b)).toEqual(
			Array.from({ length: 50 }, (_, i) => i)
		);
	});
});

describe('cuts', () => {
	it('stand where the class changes, and nowhere in noise', () => {
		const clean = Array.from({ length: 60 }, (_, x) => ({ x, c: x < 20 ? 0 : x < 45 ? 1 : 0 }));
		expect(entropyCuts(clean, 2)).toEqual([20, 45]);
		const noise = shuffled(60, 3).map((v, x) => ({ x, c: v % 2 }));
		expect(entropyCuts(noise, 2)).toEqual([]);
	});
	it('are said as round as they can be', () => {
		expect(roundest(9, 10, 0)).toBe(10);
		expect(roundest(47, 58, 0)).toBe(50);
		expect(roundest(238, 262, 0)).toBe(250);
		expect(roundest(3, 4, 0)).toBe(4);
		expect(roundest(0.42, 0.48, 2)).toBe(0.45);
		expect(roundest(-3, 4, 0)).toBe(0);
	});
});
