import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { DEMO_WORKSPACE } from '../../../demo/seed';
import { freshDatabase } from '../../../tests/fresh';
import { demoModel } from '../../../demo/model';
import { distributionOf } from './distribution';
import { columnOf } from './model';
import { db } from './pool';

let t: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	t = await freshDatabase({ customers: 30, contacts: 5, leads: 10, deals: 300 });
	await db().query(`update r_deal set f_amount = 1000 where id % 3 = 0`);
	await db().query(`update r_deal set f_amount = null, f_close_date = null where id % 17 = 0`);
});
afterAll(() => t.drop());

const deal = demoModel.types.find((x) => x.id === 'deal')!;
const field = (id: string) => deal.fields.find((f) => f.id === id)!;

/** Values one after the other, read with nothing of what is tested. */
async function valuesOf(id: string): Promise<(number | null)[]> {
	const { rows } = await db().query<{ v: string | null }>(
		`select ${columnOf(id)}::text as v from r_deal`
	);
	const days = field(id).type === 'date';
	return rows.map(({ v }) => (v === null ? null : days ? Date.parse(v) / 864e5 : Number(v)));
}

describe('how the values of a field lie', () => {
	it.each(['amount', 'discount_percent', 'close_date'])(
		'is told value by value: %s',
		async (id) => {
			const all = await valuesOf(id);
			const held = new Map<number, number>();
			for (const v of all) if (v !== null) held.set(v, (held.get(v) ?? 0) + 1);
			expect(await distributionOf(db(), DEMO_WORKSPACE, 'deal', field(id))).toEqual({
				stretches: [...held].sort(([a], [b]) => a - b).map(([v, n]) => [v, v, n]),
				blank: all.filter((v) => v === null).length
			});
		}
	);
	it.each(['amount', 'close_date'])('is told by stretches of about as many: %s', async (id) => {
		const all = (await valuesOf(id)).filter((v) => v !== null);
		const { stretches } = await distributionOf(db(), DEMO_WORKSPACE, 'deal', field(id), 7);
		expect(stretches.length).toBeGreaterThan(3);
		expect(stretches.length).toBeLessThanOrEqual(7);
		const heaviest = Math.max(...all.map((v) => all.filter((x) => x === v).length));
		for (const [i, [least, greatest, n]] of stretches.entries()) {
			expect(all.filter((v) => v >= least && v <= greatest)).toHaveLength(n);
			expect(all).toContain(least);
			expect(all).toContain(greatest);
			if (i) expect(least).toBeGreaterThan(stretches[i - 1][1]);
			// so many as an even share, and what the last value of it brings
			expect(n).toBeLessThanOrEqual(all.length / 7 + heaviest);
		}
		expect(stretches.reduce((sum, [, , n]) => sum + n, 0)).toBe(all.length);
	});
	it('of no record is empty', async () => {
		await db().query('update r_deal set f_discount_percent = null');
		expect(await distributionOf(db(), DEMO_WORKSPACE, 'deal', field('discount_percent'))).toEqual({
			stretches: [],
			blank: 300
		});
		expect(await distributionOf(db(), 'elsewhere', 'deal', field('discount_percent'))).toEqual({
			stretches: [],
			blank: 0
		});
	});
});
