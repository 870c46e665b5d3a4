/** A key of which there is one of each: on every road, by two at once, within one change and one file. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { withField, type EntryPoint, type JsonValue } from '../../core';
import { changeModel } from '../../../tests/model';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { BadModel } from '../draft/model';
import { db } from '../db/pool';
import { importCsv } from '../../../tests/csv';
import { RefusedChange, remove, save, saveInOrder, type Submission } from '.';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const sender = (entryPoint: EntryPoint = 'api') => ({
	workspace: t.workspace,
	account: t.author,
	entryPoint,
	instant: Date.now()
});
const customer = (values: Record<string, JsonValue>, id: string | null = null): Submission => ({
	type: 'customer',
	id,
	sent: Object.entries(values),
	keep: []
});
const put = async (values: Record<string, JsonValue>, id: string | null = null) =>
	(await save(sender(), [customer(values, id)]))[0];
const refused = async (work: Promise<unknown>) => {
	const e = await work.catch((x: unknown) => x);
	expect(e).toBeInstanceOf(RefusedChange);
	return e as RefusedChange;
};
const unique = (on: boolean) =>
	changeModel(t.author, (m) =>
		withField(m, 'customer', 'phone', { key: true, unique: on || undefined })
	);

describe('a key of which there is one of each', () => {
	it('is not had while records hold doubles, which are named', async () => {
		const [a, b] = [
			await put({ trading_name: 'A', phone: '+31 10 111 2222' }),
			await put({ trading_name: 'B', phone: '+31101112222' })
		];
		const e = await unique(true).catch((x: unknown) => x);
		expect(e).toBeInstanceOf(BadModel);
		expect((e as BadModel).message).toContain(`No. ${a.id} and ${b.id}`);
		await put({ phone: null }, b.id);
		await db().query('update r_customer set f_phone = null, k_phone = null where id <> $1', [a.id]);
		await unique(true);
	});
	it('refuses a second one by name, however it is written, and lets blanks be', async () => {
		const e = await refused(put({ trading_name: 'C', phone: '+31 (10) 111-2222' }));
		expect(e.status).toBe(409);
		expect(e.faults).toEqual([
			{
				field: 'phone',
				message: expect.stringMatching(/is that of the customer “A”, No\. \d+ already/)
			}
		]);
		await put({ trading_name: 'D' });
		await put({ trading_name: 'E', phone: null });
	});
	it('stays with its record, goes free with it, and may be exchanged in one change', async () => {
		const x = await put({ trading_name: 'X', phone: '+31 20 1' });
		const y = await put({ trading_name: 'Y', phone: '+31 20 2' });
		await put({ trading_name: 'X again', phone: '+31 20 1' }, x.id);
		await refused(put({ phone: '+31 20 1' }, y.id));
		await remove(sender('full'), { type: 'customer', id: x.id });
		await put({ phone: '+31 20 1' }, y.id);
		await put({ trading_name: 'Z', phone: '+31 20 2' });
	});
	it('holds within one change, and within a series', async () => {
		const both = [
			customer({ trading_name: 'One', phone: '+31 30 1' }),
			customer({ trading_name: 'Two', phone: '+31301' })
		];
		expect((await refused(save(sender(), both))).message).toContain('no two may have the same');
		const each = await saveInOrder(
			sender(),
			both.map((s) => [s])
		);
		expect(each.map((o) => o instanceof RefusedChange)).toEqual([false, true]);
	});
	it('gives one record to two who save the same at once; the other hears who has it', async () => {
		for (let i = 0; i < 5; i++) {
			const done = await Promise.allSettled(
				Array.from({ length: 4 }, (_, k) =>
					put({ trading_name: `At once ${k}`, phone: `+31 40 ${i}` })
				)
			);
			expect(done.filter((d) => d.status === 'fulfilled')).toHaveLength(1);
			for (const d of done)
				if (d.status === 'rejected') {
					expect(d.reason).toBeInstanceOf(RefusedChange);
					expect((d.reason as Error).message).toMatch(/“At once \d”, No\./);
				}
		}
	});
	it('holds for an import, row by row', async () => {
		const r = await importCsv(
			sender('import'),
			'customer',
			'Trading name,Phone\nI,+31 50 1\nJ,+31 50 1\nK,+31 50 2',
			[]
		);
		if (!r.ok) throw new Error(r.message);
		expect(r.rows.map((x) => x.faults.length)).toEqual([0, 1, 0]);
	});
	it('is held by the database itself, whatever is done past the application', async () => {
		await expect(
			db().query(
				'insert into r_customer (workspace, f_phone, k_phone) select workspace, f_phone, k_phone from r_customer where k_phone is not null limit 1'
			)
		).rejects.toMatchObject({ code: '23505' });
	});
	it('goes with the key, and then doubles are taken again', async () => {
		await unique(false);
		await put({ trading_name: 'L', phone: '+31 50 1' });
		await expect(
			changeModel(t.author, (m) =>
				withField(m, 'customer', 'phone', { key: undefined, unique: true })
			)
		).rejects.toThrow('Only of a key');
	});
});
