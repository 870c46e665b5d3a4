/** Lists of records that the people of the demo named. */
import type { Expr } from '../src/core';
import { EVERYTHING, type ListAsked } from '../src/door/lists';

const field = (type: string, id: string, image: 'settled' | 'was' = 'settled'): Expr => ({
	k: 'field',
	image,
	type,
	field: id
});
const is = (a: Expr, list: string, option: string): Expr => ({
	k: 'bin',
	op: '=',
	a,
	b: { k: 'option', list, option }
});
const all = (...items: Expr[]): ListAsked['where'] => ({ expr: { k: 'and', items } });
const call = (fn: string, ...args: Expr[]): Expr => ({ k: 'call', fn, args });

export const demoViews: readonly { type: string; name: string; list: ListAsked }[] = [
	{
		type: 'deal',
		name: 'Lost after negotiation',
		list: {
			...EVERYTHING,
			where: all(
				is(field('deal', 'stage'), 'stage', 'lost'),
				is(field('deal', 'stage', 'was'), 'stage', 'negotiation')
			),
			columns: ['name', 'customer', 'customer.size_class', '<stage', 'stage', '@stage', 'amount']
		}
	},
	{
		type: 'customer',
		name: 'Size and headcount side by side',
		list: {
			...EVERYTHING,
			columns: [
				'trading_name',
				'country',
				'headcount',
				'turnover',
				'balance_sheet_total',
				'size_class',
				'#deal.customer'
			],
			sort: { column: 'headcount', desc: true }
		}
	},
	{
		type: 'contact',
		name: 'Site code without a delivery yard',
		list: {
			...EVERYTHING,
			where: all(
				call('not', call('is blank', field('contact', 'site_code'))),
				call('is blank', field('contact', 'delivery_yard'))
			),
			columns: ['full_name_as_received', 'customer', 'site_code', 'delivery_yard']
		}
	}
];
