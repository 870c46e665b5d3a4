/** A deleted record made again: as it was, by whom, under its number; once, and only where nothing stands against it. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { withField } from '../../core';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { changeModel } from '../../../tests/model';
import { deletedRecord } from '../db/deleted';
import { readHistory } from '../db/history';
import { db } from '../db/pool';
import { RefusedChange, inForce, remove, save } from '../records';
import { historyOf } from '../records/view';
import { makeAgain } from './made-again';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
	await changeModel(t.author, (m) =>
		withField(m, 'customer', 'phone', { key: true, unique: true })
	);
});
afterAll(() => t.drop());

const sender = (entryPoint: 'full' | 'import' = 'full', instant = Date.now()) => ({
	workspace: t.workspace,
	account: t.author,
	entryPoint,
	instant
});
const set = async (
	type: string,
	id: string | null,
	sent: Record<string, string>,
	by = sender()
): Promise<string> => (await save(by, [{ type, id, keep: [], sent: Object.entries(sent) }]))[0].id;
const refusal = (of: Promise<unknown>) =>
	of.then(
		() => expect.unreachable('it was made again'),
		(e: unknown) => {
			expect(e).toBeInstanceOf(RefusedChange);
			const { faults, status } = e as RefusedChange;
			return { status, faults };
		}
	);
/** The row of a record but for what tells of its latest change. */
const whole = async (type: string, id: string) =>
	(
		await db().query<{ all: Record<string, unknown>; version: number }>(
			`select (to_jsonb(r) - '{version,updated_at,settled_by}'::text[]) as all, version from r_${type} r where id = $1`,
			[id]
		)
	).rows[0];

describe('a record that was deleted', () => {
	const LONG_AGO = Date.parse('2026-10-01T08:00:00Z');
	it('is made again as it was, by whom, when it was made; its history goes on', async () => {
		const id = await set(
			'customer',
			null,
			{ trading_name: 'Back Again', headcount: '12', country: 'Netherlands' },
			sender('import', LONG_AGO)
		);
		await set('customer', id, { e_mail: 'back@again.example' });
		const before = await whole('customer', id);
		expect(JSON.stringify(before)).toContain('"headcount":"i ');
		expect(JSON.stringify(before)).toContain('"e_mail":"p ');
		await remove(sender(), { type: 'customer', id });
		expect(await whole('customer', id)).toBeUndefined();
		expect(await deletedRecord(db(), t.workspace, 'customer', id)).toMatchObject({
			was: { trading_name: 'Back Again', headcount: '12' },
			who: t.author.name,
			entryPoint: 'full'
		});
		await makeAgain(sender(), 'customer', id);
		const after = await whole('customer', id);
		// what a Locked rule gives is given anew
		const plain = (x: unknown) => JSON.stringify(x).replace(/"r \d+ /g, '"r … ');
		expect(JSON.parse(plain(after.all))).toEqual(JSON.parse(plain(before.all)));
		expect(after.version).toBeGreaterThan(before.version + 1);
		expect(await deletedRecord(db(), t.workspace, 'customer', id)).toBeNull();
		const history = await readHistory(db(), t.workspace, 'customer', id);
		expect(history.map((h) => h.lines.some((l) => l.outcome === 'deleted'))).toEqual([
			false,
			true,
			false,
			false
		]);
		// also where history does not have its making
		await db().query(`delete from record_change where type = 'customer' and record = $1 and made`, [
			id
		]);
		// and once more
		await remove(sender(), { type: 'customer', id });
		await makeAgain(sender(), 'customer', id);
		const last = await whole('customer', id);
		expect(last.version).toBeGreaterThan(after.version);
		expect(last.all.created_at).toBe(before.all.created_at);
	});

	it('is made again once, whoever asks at the same moment', async () => {
		const id = await set('customer', null, { trading_name: 'Asked Twice' });
		await remove(sender(), { type: 'customer', id });
		const asked = await Promise.allSettled(
			[1, 2, 3].map(() => makeAgain(sender(), 'customer', id))
		);
		expect(asked.map((a) => a.status).sort()).toEqual(['fulfilled', 'rejected', 'rejected']);
		expect(await refusal(makeAgain(sender(), 'customer', id))).toMatchObject({ status: 404 });
	});

	it('stays away while what it linked to is gone, or its key is another’s', async () => {
		const parent = await set('customer', null, {
			trading_name: 'Parent Growers',
			phone: '+31 20 794 0311'
		});
		const contact = await set('contact', null, {
			full_name_as_received: 'Some One',
			customer: parent
		});
		await remove(sender(), { type: 'contact', id: contact });
		await remove(sender(), { type: 'customer', id: parent });
		expect(await refusal(makeAgain(sender(), 'contact', contact))).toMatchObject({
			faults: [{ field: 'customer' }]
		});
		await set('customer', null, { trading_name: 'Parent Growers', phone: '+31 20 794 0311' });
		expect(await refusal(makeAgain(sender(), 'customer', parent))).toMatchObject({
			faults: [{ field: 'phone' }]
		});
		expect(await deletedRecord(db(), t.workspace, 'customer', parent)).not.toBeNull();
	});

	it('is not known where there never was one', async () => {
		for (const [type, id] of [
			['customer', '999999'],
			['customer', 'x'],
			['nothing', '1']
		])
			expect(await refusal(makeAgain(sender(), type, id))).toMatchObject({ status: 404 });
	});

	it('is pointed to again by what pointed to it, but for what somebody pointed elsewhere', async () => {
		const gone = await set('customer', null, { trading_name: 'Pointed At' });
		const other = await set('customer', null, { trading_name: 'Pointed Elsewhere' });
		const [one, two, three] = await Promise.all(
			['One', 'Two', 'Three'].map((n) =>
				set(
					'contact',
					null,
					{ full_name_as_received: `Person ${n}`, customer: gone },
					sender('import')
				)
			)
		);
		const before = await whole('contact', one);
		await remove(sender(), { type: 'customer', id: gone });
		expect((await whole('contact', one)).all.f_customer).toBeNull();
		await set('contact', two, { customer: other });
		await remove(sender(), { type: 'contact', id: three });
		expect(await makeAgain(sender(), 'customer', gone)).toEqual({ linked: 1, left: 2, blank: [] });
		const after = await whole('contact', one);
		expect(after.all).toEqual(before.all);
		expect((await whole('contact', two)).all.f_customer).toBe(Number(other));
		const [last] = await readHistory(db(), t.workspace, 'contact', one);
		expect(last.lines).toMatchObject([{ field: 'customer', was: null, now: gone }]);
	});

	it('has a history in which what it linked to is named', async () => {
		const parent = await set('customer', null, { trading_name: 'Named Growers' });
		const contact = await set('contact', null, {
			full_name_as_received: 'Other One',
			customer: parent
		});
		await remove(sender(), { type: 'contact', id: contact });
		const { schema } = await inForce(db(), t.workspace);
		const { was } = (await deletedRecord(db(), t.workspace, 'contact', contact))!;
		const told = await historyOf(t.workspace, schema, 'contact', contact, was);
		expect(told.links[`customer.${parent}`]).toBe('Named Growers');
	});
});
