/** Indexes of lists on PostgreSQL: proposed from views, made by a job while others work, and used by what the list asks. */
import type pg from 'pg';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { formula } from '../../../demo/rules';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workAll } from '../../../tests/worker';
import { modelEditBetween } from '../../core';
import { EVERYTHING, checkIndexes, type ListAsked, type ListIndex } from '../../door/lists';
import { newestJob, openJobs, stopJob } from '../db/jobs';
import { alone, indexName, madeIndexes } from '../db/list-index';
import { readModel } from '../db/model';
import { db, isDeadlock, transaction } from '../db/pool';
import { editModel } from '../draft/model';
import { workOn } from '../jobs/work';
import { inForce } from '../records';
import { helpfulFor, indexesFor, indexesOf, missingFor, setIndexes } from './indexes';
import { readyList, stretchOf } from './list';
import { keepView, removeView } from './views';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase({ customers: 200, contacts: 5, leads: 5, deals: 400 });
}, 120_000);
afterAll(() => t.drop());

const schemaNow = async () => (await inForce(db(), t.workspace)).schema;
const lineOf = async (field: string, use: string) =>
	(await indexesOf(t.workspace)).lines.find((l) => l.field === field && l.use === use);
const list = (asked: Partial<ListAsked>): ListAsked => ({ ...EVERYTHING, ...asked });
const asks = (asked: Partial<ListAsked>) => async () =>
	indexesFor(await schemaNow(), 'deal', list(asked)).of.map((i) => `${i.field} ${i.use}`);

/** Which indexes PostgreSQL goes by for the first page of a list, where neither reading all nor sorting is to be had. */
async function plannedFor(asked: Partial<ListAsked>): Promise<string> {
	const schema = await schemaNow();
	const by = { workspace: t.workspace, person: null, instant: Date.now() };
	const ready = await readyList(db(), schema, by, 'deal', list(asked));
	const plans: string[] = [];
	const client = await db().connect();
	try {
		await client.query('begin');
		await client.query('set local enable_seqscan = off');
		// of so few records it would sort them all, or go through them by number
		await client.query(`set local ${asked.sort ? 'enable_sort' : 'enable_indexscan'} = off`);
		const asking = Object.assign(Object.create(client) as typeof client, {
			query: async (asked: string | pg.QueryArrayConfig, given: unknown[]) => {
				const { text, values } =
					typeof asked === 'string' ? { text: asked, values: given } : { values: [], ...asked };
				const plan = await client.query<{ 'QUERY PLAN': string }>(`explain ${text}`, values);
				plans.push(plan.rows.map((r) => r['QUERY PLAN']).join('\n'));
				return client.query(asked as string, given);
			}
		});
		await stretchOf(asking, ready, { from: null, back: false, size: 10 });
	} finally {
		await client.query('rollback');
		client.release();
	}
	return plans.join('\n');
}

const WANTED: [of: Partial<ListAsked>, index: ListIndex][] = [
	[{ sort: { column: 'amount', desc: true } }, { type: 'deal', field: 'amount', use: 'value' }],
	[{ sort: { column: 'stage', desc: false } }, { type: 'deal', field: 'stage', use: 'order' }],
	[{ sort: { column: 'name', desc: true } }, { type: 'deal', field: 'name', use: 'order' }],
	[
		{ where: formula('deal', 'Stage = "Negotiation"') },
		{ type: 'deal', field: 'stage', use: 'value' }
	],
	[
		{ where: formula('deal', 'Stage in ("Survey", "Negotiation")') },
		{ type: 'deal', field: 'stage', use: 'value' }
	],
	[
		{ where: formula('deal', 'Amount >= 5000 and Amount < 5100') },
		{ type: 'deal', field: 'amount', use: 'value' }
	],
	[
		{ sort: { column: 'customer.size_class', desc: false } },
		{ type: 'customer', field: 'size_class', use: 'order' }
	],
	[
		{ sort: { column: 'customer', desc: true } },
		{ type: 'customer', field: 'trading_name', use: 'order' }
	],
	[{ find: 'strawb' }, { type: 'deal', field: 'name', use: 'words' }],
	[
		{ setBy: [{ field: 'amount', by: 'person', rule: null }] },
		{ type: 'deal', field: 'amount', use: 'setter' }
	],
	[{ sort: { column: '!changed', desc: true } }, { type: 'deal', field: 'changed', use: 'stamp' }],
	[{ sort: { column: '!made', desc: false } }, { type: 'deal', field: 'made', use: 'stamp' }]
];

describe('a list', () => {
	it('asks for an index of what it is ordered by and of what its condition compares', async () => {
		for (const [asked, { field, use }] of WANTED)
			expect(await asks(asked)()).toEqual([`${field} ${use}`]);
		expect(await asks({ made: { days: 30 } })()).toEqual(['made stamp']);
		expect(await asks({})()).toEqual([]);
		expect(await asks({ sort: { column: 'id', desc: false } })()).toEqual([]);
		// what is not so is found faster without; what either may be is no help
		expect(await asks({ where: formula('deal', 'Stage != "Lost"') })()).toEqual([]);
		expect(await asks({ where: formula('deal', 'Stage = "Lost" or Amount > 5') })()).toEqual([]);
		expect(await asks({ where: formula('deal', 'Stage = "Lost"'), untold: true })()).toEqual([]);
		const schema = await schemaNow();
		for (const column of ['customer.service_district', 'customer.service_district.name'])
			expect(indexesFor(schema, 'deal', list({ sort: { column, desc: false } })), column).toEqual({
				of: [],
				beyond: true
			});
		const counted = list({ sort: { column: '#deal.customer', desc: true } });
		expect(indexesFor(schema, 'customer', counted)).toEqual({ of: [], beyond: true });
	});
	it('is answered by the index that is made for it, with the same records', async () => {
		const by = { workspace: t.workspace, person: null, instant: Date.now() };
		const schema = await schemaNow();
		const found = async (asked: Partial<ListAsked>) => {
			const ready = await readyList(db(), schema, by, 'deal', list(asked));
			const { rows } = await stretchOf(db(), ready, { from: null, back: false, size: 50 });
			return rows.map((r) => r.record.id);
		};
		for (const [asked, i] of WANTED)
			expect(await missingFor(db(), schema, 'deal', list(asked))).toEqual([i]);
		// so few are read as fast without: nothing is said of it
		await db().query('analyze r_deal');
		expect(await helpfulFor(db(), schema, 'deal', list(WANTED[0][0]))).toBe(0);
		expect(await helpfulFor(db(), schema, 'deal', list(WANTED[0][0]), 100)).toBe(1);
		const before = await Promise.all(WANTED.map(([asked]) => found(asked)));
		await setIndexes(
			t.admin,
			WANTED.map(([, i]) => i),
			true
		);
		expect(await lineOf('amount', 'value')).toMatchObject({ state: 'waiting', by: t.admin.name });
		await workAll();
		const job = (await newestJob(db(), t.workspace, 'indexing'))!;
		expect(job).toMatchObject({ kind: 'indexing', state: 'done' });
		for (const [k, [asked, i]] of WANTED.entries()) {
			expect(await lineOf(i.field, i.use)).toMatchObject({ state: 'made', trouble: null });
			expect(await plannedFor(asked)).toContain(indexName(schema, i));
			expect(await found(asked)).toEqual(before[k]);
			expect(await missingFor(db(), schema, 'deal', list(asked))).toEqual([]);
			expect(await helpfulFor(db(), schema, 'deal', list(asked), 100)).toBe(0);
		}
	});
	it('is proposed what its view would use, and no more when the view is gone', async () => {
		const { id } = await keepView(t.author, 'deal', {
			name: 'By close date',
			list: list({ sort: { column: 'close_date', desc: false } })
		});
		expect(await lineOf('close_date', 'value')).toMatchObject({
			state: 'proposed',
			views: [{ id, name: 'By close date' }]
		});
		await removeView(t.author, id);
		expect(await lineOf('close_date', 'value')).toBeUndefined();
	});
});

describe('an index', () => {
	const stage: ListIndex = { type: 'deal', field: 'stage', use: 'order' };
	it('by the order of options is made anew when that is another', async () => {
		const had = indexName(await schemaNow(), stage);
		expect((await madeIndexes(db())).has(had)).toBe(true);
		const { model } = await readModel(db(), t.workspace);
		const turned = {
			...model,
			lists: model.lists.map((l) =>
				l.id === 'stage' ? { ...l, options: [...l.options].reverse() } : l
			)
		};
		const { pieces } = modelEditBetween('options turned', model, turned);
		expect(pieces.length).toBeGreaterThan(0);
		await transaction((c) => editModel(c, t.admin, pieces, 0));
		const now = indexName(await schemaNow(), stage);
		expect(now).not.toBe(had);
		await workAll();
		const made = await madeIndexes(db());
		expect([made.has(had), made.get(now)?.valid]).toEqual([false, true]);
	});
	it('whose making was broken off is made from the beginning', async () => {
		const schema = await schemaNow();
		const i: ListIndex = { type: 'deal', field: 'kind', use: 'value' };
		// as it is left by a server that was killed: there, and of no use
		const name = indexName(schema, i);
		await expect(
			db().query(`create unique index concurrently ${name} on r_deal (workspace, f_kind)`)
		).rejects.toThrow('could not create unique index');
		expect((await madeIndexes(db())).get(name)).toMatchObject({ valid: false });
		await setIndexes(t.admin, [i], true);
		await workAll();
		expect((await madeIndexes(db())).get(name)).toMatchObject({ valid: true });
		expect(await lineOf('kind', 'value')).toMatchObject({ state: 'made' });
	});
	it('that PostgreSQL gave up for an edit of its table is begun anew', async () => {
		const i: ListIndex = { type: 'deal', field: 'close_date', use: 'value' };
		await setIndexes(t.admin, [i], true);
		let work: Promise<unknown> = Promise.resolve();
		const ended = async () =>
			(
				await db().query<{ n: number }>(
					'select deadlocks::int as n from pg_stat_database where datname = current_database()'
				)
			).rows[0].n;
		const before = await ended();
		const edit = await db().connect();
		try {
			await edit.query('begin');
			await edit.query('update r_deal set version = version where id = 1');
			work = workAll();
			// it waits for whoever has written there; an edit of the table now waits for it
			await vi.waitFor(
				async () => {
					const { rows } = await db().query(
						`select from pg_stat_activity where datname = current_database()
						 and query like 'create index concurrently %' and wait_event_type = 'Lock'`
					);
					expect(rows).toHaveLength(1);
				},
				{ timeout: 20_000, interval: 20 }
			);
			// on a machine that is busy it may be the edit that is given up: that is tried again by whoever sent it
			await edit
				.query('alter table r_deal add column waited int')
				.catch((e: unknown) => expect(isDeadlock(e)).toBe(true));
		} finally {
			await edit.query('rollback');
			edit.release();
			await work;
		}
		await vi.waitFor(async () => expect(await ended()).toBeGreaterThan(before), {
			timeout: 20_000
		});
		expect(await lineOf('close_date', 'value')).toMatchObject({ state: 'made' });
	});
	it('that cannot be made says why, holds up no other, and is tried again when asked', async () => {
		const schema = await schemaNow();
		const bad: ListIndex = { type: 'deal', field: 'delivery_rule', use: 'value' };
		// something else has its name
		const name = indexName(schema, bad);
		await db().query(`create table ${name} ()`);
		const good: ListIndex = { type: 'deal', field: 'heat_pump', use: 'value' };
		await setIndexes(t.admin, [bad, good], true);
		await workAll();
		expect(await lineOf('delivery_rule', 'value')).toMatchObject({
			state: 'failed',
			trouble: expect.stringContaining('already exists') as string
		});
		expect(await lineOf('heat_pump', 'value')).toMatchObject({ state: 'made' });
		await db().query(`drop table ${name}`);
		await setIndexes(t.admin, [bad], true);
		await workAll();
		expect(await lineOf('delivery_rule', 'value')).toMatchObject({ state: 'made', trouble: null });
	});
	it('is dropped when nobody wants it any more', async () => {
		const of: ListIndex[] = WANTED.map(([, i]) => i);
		const schema = await schemaNow();
		await setIndexes(t.admin, of, false);
		await workAll();
		const made = await madeIndexes(db());
		expect(of.filter((i) => made.has(indexName(schema, i)))).toEqual([]);
	});
	it('waits for whoever makes others, and is stopped with that', async () => {
		const i: ListIndex = { type: 'deal', field: 'net_amount', use: 'value' };
		let done!: () => void;
		const held = new Promise<void>((r) => (done = r));
		const other = alone(() => held);
		await setIndexes(t.admin, [i], true);
		const job = (await newestJob(db(), t.workspace, 'indexing'))!;
		const work = workOn({ job: job.id });
		await new Promise((r) => setTimeout(r, 300));
		expect(await lineOf('net_amount', 'value')).toMatchObject({ state: 'waiting' });
		await stopJob(db(), t.workspace, job.id);
		await work;
		const ended = (await newestJob(db(), t.workspace, 'indexing'))!;
		expect(ended).toMatchObject({ id: job.id, state: 'cancelled' });
		done();
		await other;
		await setIndexes(t.admin, [i], true);
		await workAll();
		expect(await lineOf('net_amount', 'value')).toMatchObject({ state: 'made' });
	});
	it('of what is not there is refused by name; two people who want one want it once', async () => {
		const want = (i: ListIndex) => setIndexes(t.admin, [i], true);
		await expect(want({ type: 'deal', field: 'gone', use: 'value' })).rejects.toThrow('deal.gone');
		await expect(want({ type: 'gone', field: 'name', use: 'value' })).rejects.toThrow('gone.name');
		await expect(want({ type: 'deal', field: 'stage', use: 'words' })).rejects.toThrow('title');
		await expect(want({ type: 'deal', field: 'amount', use: 'order' })).rejects.toThrow(
			'its value'
		);
		expect(() => checkIndexes({ indexes: [], wanted: true })).toThrow('indexes');
		expect(() =>
			checkIndexes({ indexes: [{ type: 'deal', field: 'a', use: 'x' }], wanted: true })
		).toThrow('indexes[0].use');
		const i: ListIndex = { type: 'deal', field: 'probability', use: 'value' };
		await Promise.all([want(i), want(i)]);
		const open = await openJobs(db(), t.workspace);
		expect(open.length).toBe(1);
		await workAll();
		expect(await lineOf('probability', 'value')).toMatchObject({ state: 'made' });
	});
});
