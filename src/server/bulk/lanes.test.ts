/** Lanes of a bulk change: what shares anything goes in one, and in PostgreSQL that comes to what one after the other does. */
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { JsonValue } from '../../core';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workAll, workBeside } from '../../../tests/worker';
import type { BulkAsked } from '../../door/bulk';
import { readBulk, readBulkRows } from '../db/bulk';
import { pauseJob, readJob, resumeJob } from '../db/jobs';
import { db } from '../db/pool';
import { workOn } from '../jobs/work';
import { save } from '../records';
import { askBulk, beginBulk, takeBack } from './bulk';
import { Lanes, UNKNOWN, type Footprint } from './lanes';

const footprint = (touched: string[], wrote = ['thing.other']): Footprint => ({
	touched,
	wrote,
	open: false
});
const lanesOf = (rows: readonly string[][]) => {
	const lanes = new Lanes(new Set(['thing.key']));
	rows.forEach((touched, i) =>
		lanes.add({ n: i + 1, type: 'thing', record: String(i) }, footprint(touched))
	);
	return lanes.cut();
};

describe('lanes', () => {
	it('hold together what shares anything, along any chain, and have each record once', () => {
		const touched = fc.array(
			fc.array(fc.integer({ min: 0, max: 30 }).map(String), { maxLength: 3 }),
			{
				maxLength: 40
			}
		);
		fc.assert(
			fc.property(touched, (rows) => {
				const cut = lanesOf(rows);
				// the same by spreading what is shared until nothing more is
				const group = rows.map((_, i) => i);
				for (let more = true; more;) {
					more = false;
					for (const [i, a] of rows.entries())
						for (const [j, b] of rows.entries())
							if (group[j] > group[i] && a.some((k) => b.includes(k)))
								[group[j], more] = [group[i], true];
				}
				const groups = [...new Set(group)];
				if (groups.length < 2) {
					expect(cut).toBeNull();
					return;
				}
				const lane = new Map(cut!.of.map((x) => [x.n, x.lane]));
				expect([...lane.keys()].sort((a, b) => a - b)).toEqual(rows.map((_, i) => i + 1));
				for (const [i, g] of group.entries()) expect(lane.get(i + 1)).toBe(lane.get(g + 1));
				const load = Array.from(
					{ length: cut!.lanes },
					(_, l) => cut!.of.filter((x) => x.lane === l).length
				);
				// none is empty, and none has more than its share and one group
				expect(Math.min(...load)).toBeGreaterThan(0);
				const largest = Math.max(...groups.map((g) => group.filter((x) => x === g).length));
				expect(Math.max(...load)).toBeLessThanOrEqual(rows.length / cut!.lanes + largest);
			})
		);
	});

	it('are one where a record might find others, and where nobody knows what a change touches', () => {
		const two = new Lanes(new Set(['thing.key']));
		two.add({ n: 1, type: 'thing', record: '1' }, footprint([]));
		two.add({ n: 2, type: 'thing', record: '2' }, footprint([]));
		expect(two.cut()!.lanes).toBe(2);
		two.add({ n: 3, type: 'thing', record: '3' }, footprint([], ['thing.other', 'thing.key']));
		expect(two.cut()).toBeNull();
		const open = new Lanes(new Set());
		open.add({ n: 1, type: 'thing', record: '1' }, footprint([]));
		open.add({ n: 2, type: 'thing', record: '2' }, UNKNOWN);
		expect(open.cut()).toBeNull();
	});
});

describe('a bulk change in lanes', () => {
	let t: Fresh;
	beforeAll(async () => {
		t = await freshDatabase();
	});
	afterAll(() => t.drop());

	const make = async (type: string, values: Record<string, JsonValue>) => {
		const sender = {
			workspace: t.workspace,
			account: t.author,
			entryPoint: 'full' as const,
			instant: Date.now()
		};
		const [made] = await save(sender, [{ type, id: null, keep: [], sent: Object.entries(values) }]);
		return made.id;
	};
	/** Deals of some customers, by turns. */
	async function deals(word: string, customers: number, each: number) {
		const firms: string[] = [];
		for (let i = 0; i < customers; i++)
			firms.push(await make('customer', { trading_name: `${word} ${i}` }));
		const ids: string[] = [];
		for (let k = 0; k < each; k++)
			for (const customer of firms)
				ids.push(
					await make('deal', { customer, kind: 'service', stage: 'won', amount: String(100 + k) })
				);
		return { firms, ids };
	}
	const give = (ids: string[], field: string, value: JsonValue): BulkAsked => ({
		type: 'deal',
		which: { ids },
		does: { k: 'set', field, value },
		spare: false,
		messages: false
	});
	async function looked(asked: BulkAsked) {
		const { id } = await askBulk(t.author, asked);
		await workAll();
		return id;
	}
	const rowsOf = async (id: string) =>
		(
			await db().query<{ lane: number; record: string; is: string }>(
				`select lane, record::text, outcome->>'is' as is from bulk_row where bulk = $1 order by n`,
				[id]
			)
		).rows;
	const values = async (firms: string[]) =>
		(
			await db().query(
				`select f_order_value_to_date as orders from r_customer where id = any($1::bigint[]) order by id`,
				[firms]
			)
		).rows.map((r: { orders: string }) => r.orders);

	it('keeps deals of one customer together, and comes to what one after the other does', async () => {
		const [here, there] = [await deals('Lane', 9, 20), await deals('Order', 9, 20)];
		const by = { field: 'amount', value: '5000' };
		const beside = await looked(give(here.ids, by.field, by.value));
		expect((await readBulk(db(), beside))!.lanes).toBe(4);
		const laneOf = new Map((await rowsOf(beside)).map((r) => [r.record, r.lane]));
		expect(new Set(laneOf.values()).size).toBe(4);
		here.firms.forEach((_, f) => {
			const own = here.ids.filter((_, i) => i % here.firms.length === f);
			expect(new Set(own.map((id) => laneOf.get(id))).size).toBe(1);
		});

		const { job } = await beginBulk(t.author, beside);
		const workers = [await workBeside(), await workBeside()];
		try {
			await expect
				.poll(async () => (await readJob(db(), job))!, { timeout: 60_000 })
				.toMatchObject({ state: 'done', done: 180, of: 180, result: { is: { changed: 180 } } });
		} finally {
			for (const w of workers) await w.stop();
		}
		const single = await looked(give(there.ids, by.field, by.value));
		await db().query('update bulk set lanes = 1 where id = $1', [single]);
		await db().query('update bulk_row set lane = 0 where bulk = $1', [single]);
		await beginBulk(t.author, single);
		await workAll();
		const orders = await values(here.firms);
		expect(orders.every((v) => Number(v) > 0)).toBe(true);
		expect(orders).toEqual(await values(there.firms));
		const changes = await db().query('select from change where job = $1', [job]);
		expect(changes.rowCount).toBe(180);
	}, 120_000);

	it('goes one after the other where the link changes by which its records find one another', async () => {
		const { ids } = await deals('Moved', 3, 2);
		const other = await make('customer', { trading_name: 'Moved to' });
		expect((await readBulk(db(), await looked(give(ids, 'customer', other))))!.lanes).toBe(1);
	});

	it('pauses in all of them, goes on with those that are left, and is taken back', async () => {
		const { ids } = await deals('Paused', 6, 60);
		const before = await db().query(
			'select id, f_amount, set_by from r_deal where id = any($1::bigint[]) order by id',
			[ids]
		);
		const id = await looked(give(ids, 'amount', '7000'));
		const { job } = await beginBulk(t.author, id);
		await workOn({ job });
		await workOn({ job, range: 2 });
		await pauseJob(db(), t.workspace, job);
		await workAll();
		const paused = (await readJob(db(), job))!;
		expect(paused).toMatchObject({ state: 'paused', of: 360 });
		// a piece of one lane was done, and nothing of the others
		const part = await rowsOf(id);
		expect(new Set(part.filter((r) => r.is).map((r) => r.lane))).toEqual(new Set([2]));
		expect(part.filter((r) => r.is).length).toBe(paused.done);
		// a worker that had begun before it was to pause does not make it run again
		await workOn({ job, range: 1 });
		expect((await readJob(db(), job))!.state).toBe('paused');

		await resumeJob(db(), t.workspace, job);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'done', done: 360 });
		const { id: back } = await takeBack(t.author, id);
		await workAll();
		expect((await readBulk(db(), back))!.lanes).toBe(4);
		await beginBulk(t.author, back);
		await workAll();
		expect(
			(await readBulkRows(db(), back, { column: 'outcome', is: 'changed', after: 0, most: 999 }))
				.length
		).toBe(360);
		const after = await db().query(
			'select id, f_amount, set_by from r_deal where id = any($1::bigint[]) order by id',
			[ids]
		);
		expect(after.rows.map((r: { f_amount: string }) => r.f_amount)).toEqual(
			before.rows.map((r: { f_amount: string }) => r.f_amount)
		);
	}, 120_000);
});
