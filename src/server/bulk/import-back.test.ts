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
		rows: {
			title: string;
			outcome: { is: string; gone?: true; again?: true; faults: { message: string }[] };
		}[]
	) =>
		Object.fromEntries(
			rows.map(({ title, outcome: o }) => [
				title,
				o.gone
					? 'deleted'
					: o.again
						? 'made again'
						: o.is === 'refused'
							? o.faults[0].message
							: o.is
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
	});

	const whole = async (name: string) =>
		(
			await db().query<Record<string, unknown>>(
				`select (to_jsonb(r) - '{version,updated_at,settled_by}'::text[]) as all, version from r_customer r where f_trading_name = $1`,
				[name]
			)
		).rows[0];
	const lookAt = async (back: string) => {
		await workAll();
		return readBulkRows(db(), back, { column: 'look', is: null, after: 0, most: 1000 });
	};

	it('is taken back in its turn: what it deleted is made again under its number, as it was and by whom', async () => {
		await set('customer', null, [
			['trading_name', 'Again Old'],
			['e_mail', 'old@again.example']
		]);
		const id = await take(
			'Trading name;E-mail;Headcount\nAgain Old;new@again.example;\nAgain A;a@again.example;12\nAgain B;;\nAgain C;;\n'
		);
		await imported(id, { by: 'trading_name' });
		const [a, b] = [await whole('Again A'), await whole('Again B')];
		expect(JSON.stringify(a)).toContain('"e_mail":"i ');
		const { back } = await lookBack(id);
		await carryOut(back);
		expect(await whole('Again A')).toBeUndefined();
		const { id: again } = await takeBack(t.author, back);
		expect(told(await lookAt(again))).toEqual({
			'Again Old': 'changed',
			'Again A': 'made again',
			'Again B': 'made again',
			'Again C': 'made again'
		});
		// looked at, nothing stored
		expect(await whole('Again A')).toBeUndefined();
		const done = await carryOut(again);
		expect(told(done)).toEqual({
			'Again Old': 'changed',
			'Again A': 'made again',
			'Again B': 'made again',
			'Again C': 'made again'
		});
		const [a2, b2] = [await whole('Again A'), await whole('Again B')];
		// what a Locked rule gives is given anew
		const plain = (x: unknown) => JSON.stringify(x).replace(/"r \d+ /g, '"r … ');
		expect(plain(a2.all)).toBe(plain(a.all));
		expect(plain(b2.all)).toBe(plain(b.all));
		// who is told of changes sees versions that only grow
		expect(Number(a2.version)).toBeGreaterThan(Number(a.version) + 1);
		expect((await customer('Again Old')).e_mail).toBe('new@again.example');
		// and once more: they are deleted
		const { id: third } = await takeBack(t.author, again);
		expect(told(await lookAt(third))).toMatchObject({
			'Again Old': 'changed',
			'Again A': 'deleted',
			'Again B': 'deleted'
		});
		await carryOut(third);
		expect(await whole('Again A')).toBeUndefined();
	});

	it('does not make again what would link to what is not there', async () => {
		const customers = await take('Trading name\nGone Parent\n');
		await imported(customers);
		const parent = await customer('Gone Parent');
		const people = await takeIn(t.author, {
			type: 'contact',
			name: 'people.csv',
			content: Buffer.from('Full name as received;Customer.Trading name\nSome One;Gone Parent\n')
		});
		const { settings } = (await readImport(db(), people))!;
		const job = await begin(t.author, people, 'import', settings as Settings);
		await workAll();
		expect((await readJob(db(), job))!.result).toMatchObject({ created: 1 });
		const { rows: made } = await db().query<{ id: string }>(
			'select id::text from r_contact where f_customer = $1',
			[parent.id]
		);
		expect(made.length).toBe(1);
		const { back } = await lookBack(people);
		await carryOut(back);
		const { back: backToo } = await lookBack(customers);
		await carryOut(backToo);
		expect(await customer('Gone Parent')).toBeUndefined();
		const { id: again } = await takeBack(t.author, back);
		const [look] = await lookAt(again);
		expect(look.outcome).toMatchObject({ is: 'refused', faults: [{ field: 'customer' }] });
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
