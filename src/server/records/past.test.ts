/** A record as it was: after each of many changes, by whichever road, history gives back what stood then. */
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { JsonValue } from '../../core';
import { toJson } from '../../core';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { deletedRecord } from '../db/deleted';
import { pointingTo } from '../db/past';
import { readHistory } from '../db/history';
import { db } from '../db/pool';
import { readRecords, stampsOf } from '../db/records';
import { forgetBeyond } from '../db/retention';
import { inForce, remove, save } from '.';
import { recordThen } from './past';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const NOW = Date.UTC(2026, 10, 20, 9);
const set = (
	at: number,
	type: string,
	id: string | null,
	sent: [string, JsonValue][],
	entryPoint: 'full' | 'import' | 'bulk' = 'full'
) =>
	save({ workspace: t.workspace, account: t.author, entryPoint, instant: at }, [
		{ type, id, keep: [], sent }
	]).then((r) => r[0].id);
async function stored(type: string, id: string) {
	const { schema } = await inForce(db(), t.workspace);
	const [r] = await readRecords(db(), schema, t.workspace, type, [id]);
	const { fields } = schema.type(type).type;
	return {
		schema,
		r,
		values: Object.fromEntries(fields.map((f, i) => [f.id, toJson(r.values[i])]))
	};
}
const then = async (type: string, id: string, at: number) => {
	const { schema, r } = await stored(type, id);
	return recordThen(db(), t.workspace, schema, r, new Date(at).toISOString());
};

describe('a record as it was', () => {
	it('after each of some changes is what stood then, rules and all', async () => {
		const value = fc.oneof(
			fc.tuple(fc.constant('headcount'), fc.option(fc.integer({ min: 0, max: 400 }).map(String))),
			fc.tuple(fc.constant('phone'), fc.option(fc.constantFrom('1', '2', '3'))),
			fc.tuple(fc.constant('key_grower'), fc.boolean()),
			fc.tuple(fc.constant('service_plan'), fc.constantFrom('on_call', 'full_care'))
		);
		await fc.assert(
			fc.asyncProperty(
				fc.array(
					fc.tuple(
						fc.array(value, { minLength: 1, maxLength: 3 }),
						fc.constantFrom('full', 'import', 'bulk')
					),
					{ minLength: 1, maxLength: 6 }
				),
				async (changes) => {
					const id = await set(NOW, 'customer', null, [['trading_name', 'Then']]);
					const stood = [(await stored('customer', id)).values];
					for (const [i, [sent, road]] of changes.entries()) {
						await set(
							NOW + (i + 1) * 1000,
							'customer',
							id,
							[...new Map(sent as [string, JsonValue][])],
							road as 'full'
						);
						stood.push((await stored('customer', id)).values);
					}
					for (const [i, values] of stood.entries()) {
						const was = await then('customer', id, NOW + i * 1000 + 500);
						expect(was.values).toEqual(values);
						expect(was.notYet).toBe(false);
						expect(was.otherwise).toEqual(
							Object.keys(values).filter(
								(f) => JSON.stringify(values[f]) !== JSON.stringify(stood.at(-1)![f])
							)
						);
					}
					expect((await then('customer', id, NOW - 1)).notYet).toBe(true);
				}
			),
			{ numRuns: 15 }
		);
	});

	it('of one that was deleted and made again is what stood before, between and after', async () => {
		const id = await set(NOW, 'customer', null, [
			['trading_name', 'Came Back'],
			['phone', '1']
		]);
		await set(NOW + 1000, 'customer', id, [['phone', '2']]);
		const stood = (await stored('customer', id)).values;
		const { workspace, author: account } = t;
		const sender = { workspace, account, entryPoint: 'full' as const };
		await remove({ ...sender, instant: NOW + 2000 }, { type: 'customer', id });
		const gone = (await deletedRecord(db(), workspace, 'customer', id))!;
		await save({ ...sender, instant: NOW + 3000 }, [
			{
				type: 'customer',
				id,
				keep: [],
				sent: [
					['trading_name', 'Came Back'],
					['e_mail', 'back@quillmere.example']
				],
				restores: gone.version
			}
		]);
		await set(NOW + 4000, 'customer', id, [['phone', '4']]);
		const at = (ms: number) => then('customer', id, NOW + ms);
		expect(await at(500)).toMatchObject({ notYet: false, values: { ...stood, phone: '1' } });
		expect(await at(1500)).toMatchObject({ notYet: false, values: stood });
		expect(await at(2500)).toMatchObject({ notYet: true, again: true });
		expect((await at(3500)).values).toMatchObject({
			phone: null,
			e_mail: 'back@quillmere.example'
		});
		expect((await at(4500)).otherwise).toEqual([]);
		expect(await at(-500)).toMatchObject({ notYet: true, again: false });
		const { made } = (await stampsOf(db(), workspace, 'customer', id))!;
		expect(Date.parse(made)).toBe(NOW);
	});

	it('of one that was made with nothing in it begins when somebody made it', async () => {
		const id = await set(NOW, 'contact', null, [], 'import');
		expect(await readHistory(db(), t.workspace, 'contact', id)).toMatchObject([
			{ made: true, who: t.author.name, entryPoint: 'import', lines: [] }
		]);
		expect(await then('contact', id, NOW - 500)).toMatchObject({ notYet: true, again: false });
		expect(await then('contact', id, NOW + 500)).toMatchObject({ notYet: false, otherwise: [] });
	});

	it('of one that was there before history began was not there before the day it was made', async () => {
		const id = await set(NOW, 'customer', null, [['trading_name', 'Was Here']]);
		await db().query('delete from record_change where record = $1', [id]);
		expect(await then('customer', id, NOW - 500)).toMatchObject({ notYet: true, again: false });
		expect(await then('customer', id, NOW + 500)).toMatchObject({ notYet: false, otherwise: [] });
	});

	it('says where history does not reach', async () => {
		const id = await set(Date.now(), 'customer', null, [['trading_name', 'Kept']]);
		await db().query(
			"update change set at = now() - interval '50 days' where id = (select min(id) from change)"
		);
		const ago = (days: number) => then('customer', id, Date.now() - days * 86_400_000);
		expect((await ago(40)).knownFrom).toBeNull();
		await forgetBeyond(db(), t.workspace, { history: 30 });
		expect((await ago(20)).knownFrom).toBeNull();
		const { knownFrom } = await ago(40);
		expect(Date.now() - Date.parse(knownFrom!)).toBeGreaterThan(29 * 86_400_000);
		// what is gone does not come back by keeping more from now on
		await forgetBeyond(db(), t.workspace, { history: 3_000 });
		expect((await ago(40)).knownFrom).toBe(knownFrom);
	});
});

describe('beside a record', () => {
	it('stand those that point to it, counted up to a limit, and where a change began', async () => {
		const firm = await set(NOW, 'customer', null, [['trading_name', 'Pointed At']]);
		for (let i = 0; i < 4; i++)
			await set(NOW, 'deal', null, [
				['customer', firm],
				['kind', 'service'],
				['stage', 'quotation'],
				['amount', '100']
			]);
		const a = { type: 'deal', field: 'customer', title: 'name', id: firm, shown: 2 };
		expect(await pointingTo(db(), t.workspace, { ...a, most: 10 })).toMatchObject({
			n: 4,
			newest: [{ title: expect.stringContaining('Pointed At') }, {}]
		});
		expect((await pointingTo(db(), t.workspace, { ...a, most: 2 })).n).toBe(3);
		// the customer's roll-ups changed because of deals; its name because somebody typed it
		const history = await readHistory(db(), t.workspace, 'customer', firm);
		const rolled = history.find((h) => h.lines.some((l) => l.field === 'open_deals'))!;
		expect(rolled.began).toMatchObject({ type: 'deal', record: expect.stringMatching(/^\d+$/) });
		expect(history.at(-1)!.began).toBeNull();
	});
});
