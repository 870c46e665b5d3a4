/** What flows where: every rule once, over links, messages and checks. */
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoReleases } from '../../../demo/rules';
import { Schema } from '../document/model';
import { around, flowOf } from './flow';
import { compilePlan } from './plan';

const { set } = demoReleases[2];
const plan = compilePlan(new Schema(demoModel), set);
const flow = flowOf(plan, set);
const of = (id: string) => flow.find((f) => f.rule.id === id)!;
const keys = (refs: readonly { type: string; field: string }[]) =>
	refs.map((r) => `${r.type}.${r.field}`).sort();

describe('what flows where', () => {
	it('has every rule once', () => {
		expect(flow.map((f) => f.rule.id)).toEqual(set.rules.map((r) => r.id));
		expect(flow.some((f) => f.idle)).toBe(false);
	});

	it('names what is read over links, with the links', () => {
		expect(keys(of('deal_name').reads)).toEqual([
			'customer.trading_name',
			'deal.close_date',
			'deal.customer',
			'deal.kind'
		]);
		expect(keys(of('order_value').reads)).toEqual(
			expect.arrayContaining(['deal.customer', 'deal.net_amount', 'deal.stage'])
		);
	});

	it('tells what is read before the change only', () => {
		const read = of('amount_before').reads.find((r) => r.field === 'amount')!;
		// its condition asks whether Amount changed, so the settled one is read as well
		expect(read.early).toBe(false);
		expect(of('names_whole').reads.find((r) => r.field === 'family_name')!.early).toBe(true);
	});

	it('has both outputs of a rule, and what checks and messages read', () => {
		expect(keys(of('country_desk').writes)).toEqual([
			'customer.currency',
			'customer.trading_region'
		]);
		expect(of('postal')).toMatchObject({ does: 'judges' });
		expect(keys(of('season_notice').reads)).toEqual(
			expect.arrayContaining(['contact.e_mail', 'contact.greeting', 'customer.season_notice'])
		);
		expect(of('season_notice')).toMatchObject({ does: 'sends', writes: [] });
	});

	it('says that a rule that is off, or wrong, is idle', () => {
		const [first, ...rest] = set.rules;
		const some = { ...set, rules: [{ ...first, off: true }, ...rest] };
		const [idle] = flowOf(compilePlan(new Schema(demoModel), some), some);
		expect(idle.idle).toBe(true);
		expect(keys(idle.reads)).toEqual(['customer.headcount']);
	});
});

describe('around a field', () => {
	const size = { type: 'customer', field: 'size_class' };

	it('goes both ways, across record types, as far as asked', () => {
		const names = (rules: readonly { rule: { id: string } }[]) =>
			rules.map((f) => f.rule.id).sort();
		expect(names(around(flow, size, 1))).toEqual(['discount_limit', 'size_class', 'size_lift']);
		expect(names(around(flow, size, 2))).toContain('discount');
		const amount = { type: 'deal', field: 'amount' };
		expect(names(around(flow, amount, 1))).not.toContain('order_value');
		expect(names(around(flow, amount))).toEqual(
			expect.arrayContaining(['net_amount', 'order_value', 'review'])
		);
	});

	it('ends where rules run in a circle', () => {
		const circle = ['a', 'b'].map((id, i) => ({
			...of('net_amount'),
			reads: [{ type: 'deal', field: ['x', 'y'][i], early: false }],
			writes: [{ type: 'deal', field: ['y', 'x'][i] }],
			rule: { ...of('net_amount').rule, id }
		}));
		expect(around(circle, { type: 'deal', field: 'x' })).toHaveLength(2);
	});

	it('of a field that no rule touches is nothing', () => {
		expect(around(flow, { type: 'contact', field: 'role' })).toEqual([]);
	});
});
