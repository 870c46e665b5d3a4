/** Roll-ups over many records behind one link, in PostgreSQL: right at one below, at and one above each bound on the way. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { db } from '../db/pool';
import { inForce, remove, save } from '.';
import { MOST_REACHED, toJson } from '../../core';
import { readRecords, readValues } from '../db/records';
import { fetchNeeds } from './near';
import { freshDatabase } from '../../../tests/fresh';

let t: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	t = await freshDatabase({ customers: 5, contacts: 5, leads: 5, deals: 5 });
});
afterAll(() => t.drop());

const sender = () => ({
	workspace: t.workspace,
	account: t.admin,
	entryPoint: 'api' as const,
	instant: Date.UTC(2026, 10, 24, 9)
});

/** A customer with a number of open deals of 1 000 each, put there without any rule. */
async function customerWith(n: number): Promise<{ customer: string; deals: string[] }> {
	const [made] = await save(sender(), [
		{ type: 'customer', id: null, sent: [['trading_name', `With ${n}`]], keep: [] }
	]);
	const { rows } = await db().query<{ id: string }>(
		`insert into r_deal (workspace, f_name, f_customer, f_stage, f_amount)
		 select $1, 'Deal ' || g, $2, 'negotiation', 1000 from generate_series(1, $3::int) g returning id`,
		[t.workspace, made.id, n]
	);
	return { customer: made.id, deals: rows.map((r) => String(r.id)) };
}

describe('roll-ups over all records behind a link', () => {
	it.each([1, MOST_REACHED - 1, MOST_REACHED, MOST_REACHED + 1, 2_100, 4_999, 5_000, 5_001])(
		'are right with %i of them',
		async (n) => {
			const { customer, deals } = await customerWith(n);
			const won = deals.slice(-6);
			await save(
				sender(),
				won.map((id) => ({ type: 'deal', id, sent: [['stage', 'won']], keep: [] }))
			);
			const { rows } = await db().query<{ open: string; value: string | null }>(
				'select f_open_deals as open, f_order_value_to_date as value from r_customer where id = $1',
				[customer]
			);
			expect([Number(rows[0].open), Number(rows[0].value)]).toEqual([
				n - won.length,
				1000 * won.length
			]);
		}
	);

	it.each([
		['deal', [['amount', '5000']]],
		['deal', [['stage', 'won']]],
		['customer', [['headcount', '300']]]
	] as const)('are settled in one transaction: a %s that changes %j', async (type, sent) => {
		const { customer, deals } = await customerWith(30);
		const { schema } = await inForce(db(), t.workspace);
		const id = type === 'deal' ? deals[3] : customer;
		let begun = 0;
		const count = () => begun++;
		db().on('acquire', count);
		await save(sender(), [{ type, id, sent: sent.map(([f, v]) => [f, v]), keep: [] }]);
		db().off('acquire', count);
		expect(begun).toBe(1);
		const [read] = await readRecords(db(), schema, t.workspace, type, [id]);
		expect(toJson(read.values[schema.type(type).at.get(sent[0][0])!])).toBe(sent[0][1]);
	});

	it('are settled in one transaction where one of them is deleted', async () => {
		const { customer, deals } = await customerWith(30);
		let begun = 0;
		const count = () => begun++;
		db().on('acquire', count);
		await remove(sender(), { type: 'deal', id: deals[3] });
		db().off('acquire', count);
		expect(begun).toBe(1);
		const { rows } = await db().query<{ open: string }>(
			'select f_open_deals as open from r_customer where id = $1',
			[customer]
		);
		expect(Number(rows[0].open)).toBe(29);
	});

	it('are worked out of the values that a record has, whatever else stands in its row', async () => {
		const { schema } = await inForce(db(), t.workspace);
		for (const { id: type } of schema.model.types) {
			const { rows } = await db().query<{ id: string }>(
				`select id from r_${type} order by id limit 50`
			);
			const ids = rows.map((r) => String(r.id));
			const whole = await readRecords(db(), schema, t.workspace, type, ids);
			const values = await readValues(db(), schema, t.workspace, type, ids);
			const by = new Map(values.map((r) => [r.id, r.values]));
			expect(whole.map((r) => by.get(r.id)!.map(toJson))).toEqual(
				whole.map((r) => r.values.map(toJson))
			);
		}
	});

	it('come in pieces to a form, which asks on for what a rule reads', async () => {
		const { customer, deals } = await customerWith(4);
		const { schema } = await inForce(db(), t.workspace);
		const need = { type: 'deal', field: 'customer', of: customer };
		for (const ahead of [3, 4, 5]) {
			const near = await fetchNeeds(db(), t.workspace, schema, [need], { ahead });
			expect([...near.related]).toEqual([{ ...need, ids: deals }]);
			expect([...near.records].map((r) => r.id)).toEqual(deals.slice(0, ahead));
		}
	});

	it('what the model does not know is found nowhere, and not looked for', async () => {
		const { schema } = await inForce(db(), t.workspace);
		const near = await fetchNeeds(db(), t.workspace, schema, [
			{ type: 'nothing', id: '1' },
			{ type: 'deal', id: '99999999' },
			{ type: 'deal', field: 'name', of: '1' },
			{ type: 'deal', match: [{ field: 'constructor', how: 'exact', key: 'x' }] }
		]);
		expect([...near.records].map((r) => r.values)).toEqual([null, null]);
		expect([...near.related].map((r) => r.ids)).toEqual([[]]);
		expect([...near.found].map((r) => r.ids)).toEqual([[]]);
	});
});
