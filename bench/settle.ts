/**
 * A record settled by the core against the same logic written by hand with the same decimals, and
 * against general-purpose libraries for the part of the job they can do. Ratios of one run.
 *
 *   npm run bench
 */
import jsonLogic from 'json-logic-js';
import { Engine } from 'json-rules-engine';
import jsonata from 'jsonata';
import { unaryTest } from 'feelin';
import { demoModel } from '../demo/model';
import { demoReleases } from '../demo/rules';
import type { Change, Num, Value } from '../src/core';
import {
	LocalDate,
	NOTHING_ELSE,
	Schema,
	compilePlan,
	div,
	indexTable,
	mul,
	num,
	parseNum,
	roundTo,
	same,
	settle,
	sub,
	toldOf
} from '../src/core';
import { compileTests, parseTests } from '../src/core/feel/language';
import { analyseBoxes } from '../src/core/spots/boxes';
import { zones } from '../src/runtime/zones';
import { beside, growth, ratio as besideRatio } from './measure';

/** Median nanoseconds of one call, over runs long enough to be measured. */
function time(name: string, work: (i: number) => unknown, runs = 9): number {
	let n = 64;
	const once = (k: number) => {
		const from = process.hrtime.bigint();
		for (let i = 0; i < k; i++) work(i);
		return Number(process.hrtime.bigint() - from);
	};
	// warm: what is compiled late would else be measured cold
	for (const end = process.hrtime.bigint() + 300_000_000n; process.hrtime.bigint() < end;) once(n);
	while (once(n) < 20_000_000 && n < 4_000_000) n *= 2;
	const all = Array.from({ length: runs }, () => once(n) / n).sort((a, b) => a - b);
	const ns = all[runs >> 1];
	console.log(`  ${name.padEnd(58)} ${(ns / 1000).toFixed(2).padStart(9)} µs`);
	return ns;
}
async function timeAsync(
	name: string,
	work: (i: number) => Promise<unknown>,
	n = 400
): Promise<number> {
	for (let i = 0; i < n; i++) await work(i);
	const from = process.hrtime.bigint();
	for (let i = 0; i < n; i++) await work(i);
	const ns = Number(process.hrtime.bigint() - from) / n;
	console.log(`  ${name.padEnd(58)} ${(ns / 1000).toFixed(2).padStart(9)} µs`);
	return ns;
}
const ratio = (name: string, a: number, b: number) =>
	console.log(`  → ${name}: ${(a / b).toFixed(2)}\n`);

const schema = new Schema(demoModel);
const set = demoReleases[2].set;
const plan = compilePlan(schema, set);
const blank = (type: string): Value[] => schema.type(type).type.fields.map(() => null);
const place = (type: string, field: string) => schema.type(type).at.get(field)!;

// ---- one new deal through the demo's whole rule set, against the same by hand ---------------------

console.log('\nA new deal through every rule of the demo');
const deals = Array.from(
	{ length: 64 },
	(_, i) =>
		new Map<string, Value>([
			['name', `Deal ${i}`],
			['kind', ['new_build', 'retrofit', 'service', 'spare_parts'][i % 4]],
			['stage', ['enquiry', 'quotation', 'won', 'lost'][i % 4]],
			['amount', num(1000 + i * 37)],
			['discount_percent', i % 3 ? num(i % 12) : null],
			['delivery_rule', ['exw', 'cip', 'dap', 'fob'][i % 4]],
			['site_survey_needed', i % 2 === 0],
			['heat_pump', i % 5 === 0],
			['close_date', LocalDate.of(2026, 1 + (i % 12), 15)]
		])
);
const changeOf = (sent: Map<string, Value>): Change => ({
	records: [
		{ type: 'deal', id: '1', created: true, was: none, sent, keep: 'touched', inLine: true }
	],
	entryPoint: 'full',
	instant: 1_763_900_000_000,
	person: '1'
});
const none = blank('deal');
const changes = deals.map(changeOf);

const PROBABILITY: Record<string, Num> = {
	enquiry: num(10),
	survey: num(25),
	quotation: num(50),
	negotiation: num(75),
	won: num(100),
	lost: num(0)
};
/** By kind, for a customer whose size nobody knows. */
const LIMITS: Record<string, number> = { new_build: 5, retrofit: 5, service: 3, spare_parts: 0 };
const KINDS: Record<string, string> = {
	new_build: 'new build',
	retrofit: 'retrofit',
	service: 'service',
	spare_parts: 'spare parts'
};
const parsed = new Map([5, 3, 0].map((x) => [x, parseNum(String(x))!]));
const BUYER = new Set(['exw', 'fca', 'fas', 'fob']);
const HUNDRED = num(100);
const FEE = num(450);
/** The same logic as a programmer would write it, with the same decimals and the same list of changes. */
function byHand(sent: Map<string, Value>) {
	const v = none.slice();
	for (const [k, x] of sent) v[place('deal', k)] = typeof x === 'string' ? x.trim() : x;
	const now = new Date(1_763_900_000_000);
	const get = (f: string) => v[place('deal', f)];
	const put = (f: string, x: Value) => (v[place('deal', f)] = x);
	const stage = get('stage') as string | null;
	if (stage !== null) {
		put('probability', PROBABILITY[stage]);
		put('stage_changed_at', now.toISOString());
	}
	const rule = get('delivery_rule') as string | null;
	put('freight_paid_by', rule === null ? null : BUYER.has(rule) ? 'buyer' : 'seller');
	const amount = get('amount') as Num | null;
	if (amount) {
		const part = div((get('discount_percent') as Num | null) ?? num(0), HUNDRED);
		const net = part && mul(amount, sub(num(1), part)!);
		put('net_amount', net && roundTo(net, 2));
	}
	const kind = get('kind') as string | null;
	if (kind !== null) put('discount_limit_percent', parsed.get(LIMITS[kind])!);
	put('survey_fee', get('site_survey_needed') === true ? FEE : null);
	if (get('heat_pump') === true && get('supply_phases') === null)
		put('supply_phases', 'three_phases');
	const d = get('close_date') as LocalDate | null;
	put('fiscal_quarter', d && `${d.year} Q${Math.ceil(d.month / 3)}`);
	const name = [kind && KINDS[kind], d && String(d.year)].filter(Boolean);
	if (name.length) put('name', name.join(' '));
	const out: { field: number; from: Value; to: Value }[] = [];
	for (let i = 0; i < v.length; i++)
		if (!same(v[i], none[i])) out.push({ field: i, from: none[i], to: v[i] });
	return { v, out };
}
for (const [i, sent] of deals.entries()) {
	const core = settle(plan, changes[i], NOTHING_ELSE, { zones }).records[0];
	const hand = byHand(sent);
	core.values.forEach((x, k) => {
		if (demoModel.types[3].fields[k].type !== 'moment' && !same(x, hand.v[k]))
			throw new Error(`deal ${i}, field ${k}: ${String(x)} against ${String(hand.v[k])}`);
	});
}
/** Reads the reason of each value that a rule gave, as whoever looks at a record does. */
const told = (i: number) => {
	const { records } = settle(plan, changes[i % 64], NOTHING_ELSE, { zones, explain: true });
	for (const rec of records) for (const r of toldOf(plan, rec)) void r.reads;
};
const deal = beside({
	'core, settled': (i) => settle(plan, changes[i % 64], NOTHING_ELSE, { zones }),
	'by hand': (i) => byHand(deals[i % 64]),
	'core, with a report of every rule': (i) =>
		settle(plan, changes[i % 64], NOTHING_ELSE, { zones, explain: true }),
	'core, with the reasons of what came of it read': told
});
besideRatio('core / by hand', deal['core, settled'], deal['by hand']);
besideRatio(
	'with reports / settled',
	deal['core, with a report of every rule'],
	deal['core, settled']
);
besideRatio(
	'with reasons read / settled',
	deal['core, with the reasons of what came of it read'],
	deal['core, settled']
);

// ---- bands: the part of the job that other libraries can do ----------------------------------------

console.log('Size class by headcount: one band rule, as each library expresses it');
const sizes = compilePlan(schema, {
	rules: set.rules.filter((r) => r.id === 'size_class'),
	order: {}
});
const customer = blank('customer');
const heads = [0, 9, 10, 49, 50, 249, 250, 18000];
const sizeChanges = heads.map((h): Change => ({
	records: [
		{
			type: 'customer',
			id: '1',
			created: false,
			was: customer,
			sent: new Map([['headcount', num(h)]]),
			keep: 'touched',
			inLine: true
		}
	],
	entryPoint: 'full',
	instant: 1_763_900_000_000,
	person: null
}));
const us = time('core, settled', (i) => settle(sizes, sizeChanges[i % 8], NOTHING_ELSE, { zones }));
const logic = {
	if: [
		{ '<': [{ var: 'h' }, 10] },
		'micro',
		{ '<': [{ var: 'h' }, 50] },
		'small',
		{ '<': [{ var: 'h' }, 250] },
		'medium',
		'large'
	]
} as const;
const theirs = time('json-logic-js', (i) => jsonLogic.apply(logic as never, { h: heads[i % 8] }));
ratio('json-logic-js / core', theirs, us);
const tests = ['[0..10)', '[10..50)', '[50..250)', '>= 250'];
const feel = time(
	'a FEEL interpreter (feelin), four unary tests',
	(i) => tests.find((t) => unaryTest(t, { '?': heads[i % 8] })),
	3
);
ratio('feelin / core', feel, us);
const expression = jsonata('h < 10 ? "micro" : h < 50 ? "small" : h < 250 ? "medium" : "large"');
const ata = await timeAsync('jsonata', (i) => expression.evaluate({ h: heads[i % 8] }), 4000);
ratio('jsonata / core', ata, us);
const engine = new Engine();
for (const [name, lo, hi] of [
	['micro', 0, 10],
	['small', 10, 50],
	['medium', 50, 250],
	['large', 250, 1e12]
] as const)
	engine.addRule({
		conditions: {
			all: [
				{ fact: 'h', operator: 'greaterThanInclusive', value: lo },
				{ fact: 'h', operator: 'lessThan', value: hi }
			]
		},
		event: { type: name }
	});
const jre = await timeAsync('json-rules-engine', (i) => engine.run({ h: heads[i % 8] }), 1000);
ratio('json-rules-engine / core', jre, us);

// ---- reference tables -----------------------------------------------------------------------------------

console.log(
	'One look-up in a reference table, by its number of rows: exact, longest prefix and range keys'
);
function looked(rows: number) {
	const text = (id: string) => ({ id, label: id, type: 'text' as const });
	const number = (id: string) => ({ id, label: id, type: 'number' as const });
	const index = indexTable(
		{
			id: 't',
			label: 'T',
			why: '',
			columns: [text('land'), text('code'), number('lo'), number('hi'), text('out')],
			keys: [
				{ match: 'exact', column: 'land' },
				{ match: 'prefix', column: 'code' },
				{ match: 'range', from: 'lo', to: 'hi' }
			],
			rows: Array.from({ length: rows }, (_, i) => [
				`L${i % 7}`,
				String(i % 100).padStart(2, '0'),
				String(i * 10),
				String(i * 10 + 9),
				`R${i}`
			])
		},
		schema
	);
	const asked = Array.from({ length: 256 }, (_, k) => {
		const i = Math.floor((k / 256) * rows);
		return [`L${i % 7}`, `${String(i % 100).padStart(2, '0')}99`, num(i * 10 + 4)];
	});
	for (const [k, keys] of asked.entries())
		if (index.find(keys)[0] !== Math.floor((k / 256) * rows)) throw new Error('wrong row');
	return time(`${rows} rows`, (i) => index.find(asked[i & 255]));
}
const lookUps = [100, 1_000, 10_000, 100_000].map(looked);
ratio('100 000 rows / 100 rows', lookUps[3], lookUps[0]);

// ---- analysis of decision tables ----------------------------------------------------------------------------

console.log(
	'Gaps, overlaps and covered rows of a decision table of seven inputs, by its number of rows'
);
function analysis(rows: number) {
	const domains = Array.from({ length: 7 }, () => ({ kind: 'number' as const, places: 0 }));
	const side = Math.round(Math.sqrt(rows));
	const cell = (text: string) =>
		compileTests(parseTests(text, { schema, type: null }), {
			schema,
			type: null,
			input: { t: 'number' }
		}).tests;
	const any = cell('-');
	// a grid over two inputs, and the other five parted once in each row
	const table = Array.from({ length: side * side }, (_, i) =>
		Array.from({ length: 7 }, (_, k) => {
			const n = k === 0 ? i % side : k === 1 ? Math.floor(i / side) : -1;
			if (n >= 0) return cell(n === side - 1 ? `>= ${n * 10}` : `[${n * 10}..${n * 10 + 9}]`);
			return k === 2 + (i % 5) ? cell('< 1000000') : any;
		})
	);
	return () => analyseBoxes(domains, table);
}
const analyses = Object.values(
	beside({ '100 rows': analysis(100), '400 rows': analysis(400), '1521 rows': analysis(1_521) })
);
growth('rows', [100, 400, 1_521], analyses);
