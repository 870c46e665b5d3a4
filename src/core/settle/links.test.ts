import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Field, Model } from '../document/model';
import { Schema } from '../document/model';
import type { Output, Rule } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { Store } from '../../../tests/store';
import { reason } from '../explain/reason';

const field = (id: string, type: Field['type'] = 'number', more: Partial<Field> = {}): Field => ({
	id,
	label: id[0].toUpperCase() + id.slice(1),
	group: 'G',
	type,
	...more
});
const type = (id: string, ...fields: Field[]) => ({
	id,
	label: id,
	plural: id,
	title: fields[0].id,
	short: [],
	columns: [],
	fields
});
/** Areas have firms, firms have deals. */
const model: Model = {
	zone: 'UTC',
	lists: [],
	types: [
		type('area', field('rate'), field('firms', 'number'), field('sum')),
		type(
			'firm',
			field('name', 'text'),
			field('area', 'link', { target: 'area', inverse: 'Firm list' }),
			field('total'),
			field('count'),
			field('tier'),
			field('latest', 'date')
		),
		type(
			'deal',
			field('firm', 'link', { target: 'firm', inverse: 'Deals' }),
			field('amount'),
			field('open', 'yesno'),
			field('day', 'date'),
			field('discount'),
			field('title', 'text'),
			field('share')
		)
	]
};
const schema = new Schema(model);
let serial = 0;
const rule = (
	of: string,
	target: string,
	text: string,
	output: Partial<Output> = {},
	guard?: string
): Rule => ({
	id: `r${++serial}`,
	type: of,
	kind: 'derive',
	name: `${of} ${target}`,
	why: '',
	moments: ['created', 'changed', 'request'],
	entryPoints: null,
	watch: null,
	entering: false,
	guard: guard ? { text: guard } : null,
	outputs: [{ id: 'o', field: target, hold: 'locked', none: 'clear', ...output }],
	body: { kind: 'formula', formulas: [{ text }] }
});
const total = rule('firm', 'total', 'otherwise(sum(Deals[Open = true].Amount), 0)');
const count = rule('firm', 'count', 'count(Deals)');
const latest = rule('firm', 'latest', 'max(Deals.Day)');
const tier = rule('firm', 'tier', 'if Total >= 100 then 2 else 1');
const discount = rule('deal', 'discount', 'Firm.Tier * Firm.Area.Rate');
const areaSum = rule('area', 'sum', 'otherwise(sum(for f in Firm list return f.Total), 0)');
const areaFirms = rule('area', 'firms', 'count(Firm list[Count > 0])');
const title: Rule = {
	...rule('deal', 'title', ''),
	body: {
		kind: 'compose',
		texts: [[{ text: 'Firm.Name' }, ' – ', { text: 'Amount' }]],
		blanks: 'leave out'
	}
};
const all = [total, count, latest, tier, discount, areaSum, areaFirms];
const storeOf = (...rules: Rule[]) => {
	const plan = compilePlan(schema, { rules, order: {} });
	expect(plan.problems).toEqual([]);
	return new Store(plan);
};

describe('changes run on along links', () => {
	const seeded = (...rules: Rule[]) => {
		const s = storeOf(...rules);
		s.change({ type: 'area', id: '1', sent: { rate: '3' } });
		s.change({ type: 'area', id: '2', sent: { rate: '5' } });
		s.change({ type: 'firm', id: '1', sent: { name: 'Fen', area: '1' } });
		s.change({ type: 'firm', id: '2', sent: { name: 'Quay', area: '2' } });
		return s;
	};
	it('up to what rolls up, and down again to what reads that: deal → firm → area, and back to its deals', () => {
		const s = seeded(...all);
		s.change({
			type: 'deal',
			id: '1',
			sent: { firm: '1', amount: '40', open: true, day: '2026-01-02' }
		});
		expect(s.json('firm', '1')).toMatchObject({
			total: '40',
			count: '1',
			tier: '1',
			latest: '2026-01-02'
		});
		expect(s.json('area', '1')).toMatchObject({ sum: '40', firms: '1' });
		expect(s.json('deal', '1').discount).toBe('3');
		s.change({ type: 'deal', id: '2', sent: { firm: '1', amount: '70', open: true } });
		expect(s.json('firm', '1')).toMatchObject({ total: '110', tier: '2' });
		expect(s.json('deal', '1').discount).toBe('6');
		expect(s.json('deal', '2').discount).toBe('6');
		s.change({ type: 'area', id: '1', sent: { rate: '4' } });
		expect([s.json('deal', '1').discount, s.json('deal', '2').discount]).toEqual(['8', '8']);
	});
	it('to both sides when a link moves', () => {
		const s = seeded(...all);
		s.change({ type: 'deal', id: '1', sent: { firm: '1', amount: '120', open: true } });
		const moved = s.change({ type: 'deal', id: '1', sent: { firm: '2' } });
		expect(s.json('firm', '1')).toMatchObject({ total: '0', count: '0', tier: '1' });
		expect(s.json('firm', '2')).toMatchObject({ total: '120', count: '1', tier: '2' });
		expect([s.json('area', '1').sum, s.json('area', '2').sum]).toEqual(['0', '120']);
		expect(s.json('deal', '1').discount).toBe('10');
		expect(
			moved.records
				.filter((r) => r.reached)
				.map((r) => r.type)
				.sort()
		).toEqual(['area', 'area', 'firm', 'firm']);
	});
	it('to composed texts, with a reason that names the link', () => {
		const s = seeded(title);
		s.change({ type: 'deal', id: '1', sent: { firm: '1', amount: '9' } });
		expect(s.json('deal', '1').title).toBe('Fen – 9');
		const r = s.change({ type: 'firm', id: '1', sent: { name: 'Fenside' } });
		expect(s.json('deal', '1').title).toBe('Fenside – 9');
		const deal = r.records.find((x) => x.type === 'deal')!;
		expect(
			reason(
				s.plan,
				deal.reports.find((x) => x.outcome === 'wrote')!
			)
		).toBe('it is computed from Firm’s Name Fenside, Amount 9');
	});
	it('triggers the Follow claim that reads what changed, and no other of that field', () => {
		const own = rule('deal', 'share', 'Amount', { hold: 'follow', none: 'next' }, 'Open = true');
		const far = rule('deal', 'share', 'Firm.Tier', { hold: 'follow', none: 'next' });
		const s = seeded(tier, total, own, far);
		s.change({ type: 'deal', id: '1', sent: { firm: '1', amount: '120', open: true } });
		expect(s.json('deal', '1').share).toBe('120');
		s.change({ type: 'deal', id: '1', sent: { share: '7' } });
		s.change({ type: 'deal', id: '2', sent: { firm: '1', amount: '-100', open: true } });
		// the first claim still applies and was not triggered: what was set by hand stays
		expect(s.json('deal', '1').share).toBe('7');
	});
	it('not where nothing changed: a deal that leaves the total as it is reaches its firm and stops', () => {
		const s = seeded(...all);
		s.change({ type: 'deal', id: '1', sent: { firm: '1', amount: '40', open: true } });
		const r = s.change({ type: 'deal', id: '2', sent: { firm: '1', amount: '40', open: false } });
		expect(r.records.flatMap((x) => x.changes.map((c) => `${x.type}.${c.field}`)).sort()).toEqual([
			'deal.amount',
			'deal.discount',
			'deal.firm',
			'deal.open',
			'firm.count'
		]);
	});
	it('a circle across record types is refused and shown', () => {
		const plan = compilePlan(schema, {
			rules: [total, rule('deal', 'amount', 'Firm.Total')],
			order: {}
		});
		expect(plan.problems[0].message).toContain('deal: Amount → firm: Total');
	});
});

describe('settling step by step equals settling from nothing', () => {
	const id = (n: number) => fc.integer({ min: 1, max: n }).map(String);
	const link = (n: number) => fc.option(id(n), { freq: 5 });
	const amount = fc.integer({ min: -5, max: 120 }).map(String);
	const removal = fc.record({
		remove: fc.constantFrom('area', 'firm', 'deal'),
		id: id(5)
	});
	const change = fc.oneof(
		fc.record({ type: fc.constant('area'), id: id(3), sent: fc.record({ rate: amount }) }),
		fc.record({
			type: fc.constant('firm'),
			id: id(4),
			sent: fc.record({ area: link(3), name: fc.constantFrom('a', 'b') })
		}),
		fc.record({
			type: fc.constant('deal'),
			id: id(8),
			sent: fc.record(
				{
					firm: link(4),
					amount,
					open: fc.boolean(),
					day: fc.constantFrom('2026-01-01', '2026-02-02')
				},
				{ requiredKeys: [] }
			)
		})
	);
	it('for any rules among these and any changes, one record or several at once', () => {
		const rules = [
			...all,
			title,
			rule('deal', 'share', 'if Firm.Total = 0 then null else Amount / Firm.Total')
		];
		fc.assert(
			fc.property(
				fc.subarray(rules, { minLength: 1 }),
				fc.array(
					fc.oneof(
						{
							weight: 6,
							arbitrary: fc.uniqueArray(change, {
								selector: (c) => `${c.type} ${c.id}`,
								minLength: 1,
								maxLength: 3
							})
						},
						{ weight: 1, arbitrary: removal }
					),
					{ maxLength: 14 }
				),
				fc.option(fc.integer({ min: 0, max: 3 })),
				(some, steps, most) => {
					const s = storeOf(...some);
					// put off beyond that many, and carried on in the order in which they were put off
					s.most = most ?? undefined;
					for (const step of steps) {
						if (Array.isArray(step)) s.change(...step);
						else s.remove(step.remove, step.id);
						s.carryOn();
						expect(s.outOfLine()).toEqual([]);
					}
				}
			),
			{ numRuns: Number(process.env.RIGID_RUNS ?? 150), seed: 20261124 }
		);
	});
});

describe('a collection of a collection', () => {
	const plan = compilePlan(schema, {
		rules: [
			rule('area', 'sum', 'sum(Firm list.Deals.Amount)', { hold: 'locked' }),
			rule('area', 'firms', 'count(Firm list.Deals[Open])', { hold: 'locked' }),
			rule('firm', 'tier', 'count(Area.Firm list.Deals)', { hold: 'locked' })
		],
		order: {}
	});
	it('is one list of all of them, and what changes far off reaches it', () => {
		expect(plan.problems).toEqual([]);
		const store = new Store(plan);
		const put = (t: string, id: string, sent: Record<string, string | boolean | null>) =>
			store.change({ type: t, id, sent });
		put('area', '1', { rate: '1' });
		for (const id of ['1', '2']) put('firm', id, { area: '1' });
		put('deal', '1', { firm: '1', amount: '10', open: true });
		put('deal', '2', { firm: '2', amount: '5', open: false });
		put('deal', '3', { firm: '2', amount: '7', open: true });
		const at = (t: string, id: string, f: string) =>
			String(store.records.get(`${t}.${id}`)!.values[schema.type(t).at.get(f)!]);
		expect([at('area', '1', 'sum'), at('area', '1', 'firms'), at('firm', '1', 'tier')]).toEqual([
			'22',
			'2',
			'3'
		]);
		put('deal', '3', { firm: null });
		expect([at('area', '1', 'sum'), at('area', '1', 'firms'), at('firm', '1', 'tier')]).toEqual([
			'15',
			'1',
			'2'
		]);
	});
});

describe('a certain record', () => {
	const plan = compilePlan(schema, {
		rules: [
			rule('deal', 'firm', 'record("firm", 7)', { hold: 'once' }),
			rule('deal', 'open', 'Firm = record("firm", 7)', { hold: 'locked' })
		],
		order: {}
	});
	it('is what its number says, held by its identity', () => {
		expect(plan.problems).toEqual([]);
		const store = new Store(plan);
		const of = (id: string) => store.records.get(`deal.${id}`)!.values.slice(0, 3).map(String);
		store.change({ type: 'deal', id: '1', sent: { amount: '1' } });
		// there is none of that number yet: blank, and blank is blank
		expect(of('1')).toEqual(['null', '1', 'true']);
		store.change({ type: 'firm', id: '7', sent: { name: 'Seven' } });
		store.change({ type: 'deal', id: '2', sent: { amount: '1' } });
		expect(of('2')).toEqual(['7', '1', 'true']);
	});
	it.each([
		['record("nothing", 7)', 'There is no record type “nothing”; there are area, firm, deal.'],
		['record("firm", "7")', 'A record is named by its type and number: record("Customer", 12).'],
		['record("firm", 7.5)', 'A record is named by its type and number: record("Customer", 12).'],
		['record("area", 7)', 'a link to a area']
	])('is refused otherwise: %s', (text, message) => {
		const bad = compilePlan(schema, { rules: [rule('deal', 'firm', text)], order: {} });
		expect(bad.problems[0].message).toContain(message);
	});
});
