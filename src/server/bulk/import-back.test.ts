/** Imports taken back: what they made deleted, what they changed as it was, nothing of what came since lost. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { withField } from '../../core';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { changeModel } from '../../../tests/model';
import { workAll, workBeside } from '../../../tests/worker';
import { readBulkRows } from '../db/bulk';
import { readImport } from '../db/imports';
import { readJob, resumeJob, stopJob } from '../db/jobs';
import { db } from '../db/pool';
import { begin, takeIn } from '../imports/imports';
import type { Settings } from '../imports/rows';
import { workOn } from '../jobs/work';
import { save } from '../records';
import { beginBulk, takeBack, takeImportBack } from './bulk';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
	await changeModel(t.author, (m) => withField(m, 'customer', 'trading_name', { key: true }));
});
afterAll(() => t.drop());

const take = (text: string) =>
	takeIn(t.author, { type: 'customer', name: 'back.csv', content: Buffer.from(text) });
const settingsOf = async (id: string, more: Partial<Settings> = {}) => ({
	...((await readImport(db(), id))!.settings as Settings),
	...more
});
async function imported(id: string, more: Partial<Settings> = {}) {
	const job = await begin(t.author, id, 'import', await settingsOf(id, more));
	await workAll();
	return { job: (await readJob(db(), job))! };
}
const count = async () =>
	Number((await db().query<{ n: string }>('select count(*) as n from r_customer')).rows[0].n);

describe('an import taken back', () => {
	const customer = async (name: string) =>
		(
			await db().query<{ id: string; version: number; e_mail: string; by: unknown }>(
				`select id::text, version, f_e_mail as e_mail, set_by->'e_mail' as by from r_customer where f_trading_name = $1`,
				[name]
			)
		).rows[0];
	const sender = () => ({
		workspace: t.workspace,
		account: t.author,
		entryPoint: 'full' as const,
		instant: Date.now()
	});
	const set = (type: string, id: string | null, sent: [string, string][]) =>
		save(sender(), [{ type, id, keep: [], sent }]).then((r) => r[0].id);
	async function lookBack(id: string) {
		const { id: back } = await takeImportBack(t.author, id);
		await workAll();
		const looks = await readBulkRows(db(), back, {
			column: 'look',
			is: null,
			after: 0,
			most: 1000
		});
		return { back, looks };
	}
	async function carryOut(back: string) {
		const { job } = await beginBulk(t.author, back);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'done' });
		return readBulkRows(db(), back, { column: 'outcome', is: null, after: 0, most: 1000 });
	}
	const told = (
		rows: { title: string; outcome: { is: string; gone?: true; faults: { message: string }[] } }[]
	) =>
		Object.fromEntries(
			rows.map(({ title, outcome: o }) => [
				title,
				o.gone ? 'deleted' : o.is === 'refused' ? o.faults[0].message : o.is
			])
		);

	it('deletes what it made, unless edited or linked, and gives back what it changed', async () => {
		await set('customer', null, [
			['trading_name', 'Back Old'],
			['e_mail', 'old@back.example']
		]);
		const old = await customer('Back Old');
		const id = await take(
			'Trading name;E-mail\nBack Old;new@back.example\nBack A;a@back.example\nBack B;b@back.example\nBack C;c@back.example\nBack D;\n'
		);
		const key = { by: 'trading_name' };
		const { job } = await imported(id, key);
		expect(job.result).toMatchObject({ created: 4, changed: 1 });
		expect((await customer('Back Old')).e_mail).toBe('new@back.example');
		const before = await count();
		// one is edited, to one somebody links
		await set('customer', (await customer('Back B')).id, [['headcount', '7']]);
		const contact = await set('contact', null, [
			['full_name_as_received', 'Someone'],
			['customer', (await customer('Back C')).id]
		]);
		const { back, looks } = await lookBack(id);
		const expected = {
			'Back Old': 'changed',
			'Back A': 'deleted',
			'Back B': 'Somebody edited it since, so it is kept.',
			'Back C': 'A contact links to it by Customer, so it is kept.',
			'Back D': 'deleted'
		};
		expect(told(looks)).toEqual(expected);
		expect(await count()).toBe(before);
		// meanwhile somebody links to another, and lets the one go
		await set('contact', contact, [['customer', (await customer('Back D')).id]]);
		const done = await carryOut(back);
		expect(told(done)).toEqual({
			'Back Old': 'changed',
			'Back A': 'deleted',
			'Back D': 'A contact links to it by Customer, so it is kept. Link it elsewhere first.'
		});
		expect(await customer('Back A')).toBeUndefined();
		expect(await customer('Back Old')).toMatchObject({ e_mail: 'old@back.example', by: old.by });
		expect(await count()).toBe(before - 1);
		await expect(takeImportBack(t.author, id)).rejects.toThrow('taken back already');
		// what a record was stands in its history, with the job; each deletion is not an entry of the audit
		const { rows } = await db().query(
			`select did from audit where did in ('took an import back', 'deleted a record') order by id desc limit 2`
		);
		expect(rows.map((r) => (r as { did: string }).did)).not.toContain('deleted a record');
		// taken back in its turn: what was changed is changed again, what is deleted stays so
		const { id: again } = await takeBack(t.author, back);
		await workAll();
		const looked = await readBulkRows(db(), again, {
			column: 'look',
			is: null,
			after: 0,
			most: 100
		});
		expect(told(looked)).toEqual({
			'Back Old': 'changed',
			'Back A': 'It was deleted, and what is deleted is not brought back. Import it again.'
		});
	});

	it('that was stopped is not gone on with once it was taken back; of two who take it back one does', async () => {
		const id = await take(
			`Trading name\n${Array.from({ length: 450 }, (_, i) => `Stop ${i}`).join('\n')}\n`
		);
		const job = await begin(t.author, id, 'import', await settingsOf(id));
		await expect(takeImportBack(t.author, id)).rejects.toThrow('under way');
		await workOn({ job });
		await stopJob(db(), t.workspace, job);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({ state: 'cancelled', done: 200 });
		const [one, two] = [await lookBack(id), await lookBack(id)];
		expect(one.looks.length).toBe(200);
		const begun = await Promise.allSettled([one, two].map((x) => beginBulk(t.author, x.back)));
		expect(begun.map((b) => b.status).sort()).toEqual(['fulfilled', 'rejected']);
		await resumeJob(db(), t.workspace, job);
		await workAll();
		expect(await readJob(db(), job)).toMatchObject({
			state: 'failed',
			message: expect.stringContaining('taken back')
		});
		const { rows } = await db().query(
			`select 1 from r_customer where f_trading_name like 'Stop %'`
		);
		expect(rows).toEqual([]);
	});

	it('is carried out by two workers, each record once', async () => {
		const id = await take(
			`Trading name\n${Array.from({ length: 300 }, (_, i) => `Two ${i}`).join('\n')}\n`
		);
		await imported(id);
		const { back } = await lookBack(id);
		const { job } = await beginBulk(t.author, back);
		const worker = await workBeside();
		const other = await workBeside();
		try {
			for (let i = 0; i < 400 && !(await readJob(db(), job))!.ended; i++)
				await new Promise((r) => setTimeout(r, 50));
		} finally {
			await worker.stop();
			await other.stop();
		}
		expect(await readJob(db(), job)).toMatchObject({ state: 'done', done: 300 });
		const { rows } = await db().query<{ n: number }>(
			`select count(*)::int as n from history_line h join change c on c.id = h.change where c.job = $1 and h.outcome = 'deleted'`,
			[job]
		);
		expect(rows[0].n).toBe(300);
	});
});
