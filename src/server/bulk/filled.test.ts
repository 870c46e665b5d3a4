/** Fields filled from history on PostgreSQL, against a record that lived by the rules all the time. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { formula } from '../../../demo/rules';
import type { JsonValue } from '../../core';
import { EVERYTHING } from '../../door/lists';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workAll } from '../../../tests/worker';
import { readBulk, readBulkRows, tallyBulk } from '../db/bulk';
import { readJob } from '../db/jobs';
import { db, transaction } from '../db/pool';
import { forgetBeyond } from '../db/retention';
import { createRelease, putInForce, readRelease, rulesOf } from '../db/rules';
import { startPilot } from '../draft/pilot';
import { inForce, save } from '../records';
import { askBulk, beginBulk, takeBack } from './bulk';

let t: Fresh;
let release: number;
/** The same without the rules of what happens to a deal. */
let without: number;
const EVENTS = ['stage_stamp', 'stage_from', 'stage_before_loss', 'moved_back', 'amount_before'];
beforeAll(async () => {
	t = await freshDatabase();
	({ release } = await inForce(db(), t.workspace));
	const set = rulesOf((await readRelease(db(), t.workspace, release))!);
	const rules = set.rules.filter((r) => !EVENTS.includes(r.id));
	without = await transaction((c) =>
		createRelease(c, t.workspace, { ...set, rules }, demoModel, 'Fewer', null, null, false)
	);
});
afterAll(() => t.drop());

const force = (n: number) => transaction((c) => putInForce(c, t.workspace, n, t.author.id));
const sender = () => ({
	workspace: t.workspace,
	account: t.author,
	entryPoint: 'full' as const,
	instant: Date.now()
});
const set = async (id: string | null, values: Record<string, JsonValue>) =>
	(await save(sender(), [{ type: 'deal', id, keep: [], sent: Object.entries(values) }]))[0].id;
const held = async (id: string, field: string) =>
	(
		await db().query<{ v: unknown; by: Record<string, unknown> | string | null }>(
			`select f_${field} as v, set_by->'${field}' as by from r_deal where id = $1`,
			[id]
		)
	).rows[0];
const LIFE: Record<string, JsonValue>[] = [
	{ name: 'Glasshouse', stage: 'quotation', amount: '100' },
	{ stage: 'survey' },
	{ amount: '80' },
	{ stage: 'negotiation' },
	{ stage: 'lost' }
];
async function live() {
	let id: string | null = null;
	for (const step of LIFE) id = await set(id, step);
	return id!;
}
async function looked(field: string, ids: readonly string[], more = { spare: true }) {
	const { id } = await askBulk(t.author, {
		type: 'deal',
		which: { ids },
		does: { k: 'history', field },
		messages: false,
		...more
	});
	await workAll();
	const rows = await readBulkRows(db(), id, { column: 'look', is: null, after: 0, most: 100 });
	return { id, looks: rows.map((r) => r.outcome) };
}
async function done(id: string) {
	const { job } = await beginBulk(t.author, id);
	await workAll();
	return (await readJob(db(), job))!;
}

describe('a field filled from history', () => {
	it.each([
		'times_moved_back',
		'stage_it_came_from',
		'stage_before_loss',
		'amount_before_the_change'
	])('%s becomes what a deal has that lived by the rules, and is theirs', async (field) => {
		await force(release);
		const twin = await held(await live(), field);
		expect(twin.v).not.toBeNull();
		await force(without);
		const id = await live();
		expect((await held(id, field)).v).toBeNull();
		await force(release);
		const { id: bulk, looks } = await looked(field, [id]);
		expect(looks).toMatchObject([
			{
				is: 'changed',
				setAside: [],
				changes: [{ field, from: null }],
				event: { who: t.author.name, because: expect.any(String) as string }
			}
		]);
		expect((await held(id, field)).v).toBeNull();
		expect(await done(bulk)).toMatchObject({ state: 'done', done: 1 });
		const now = await held(id, field);
		expect(now.v).toEqual(twin.v);
		expect(now.by).toMatchObject({ by: 'rule', name: t.author.name });
		// once more there is nothing left to be done
		expect((await looked(field, [id])).looks).toMatchObject([{ is: 'same' }]);
		// and the rules go on from there
		if (field === 'times_moved_back') {
			await set(id, { stage: 'survey' });
			expect(Number((await held(id, field)).v)).toBe(Number(twin.v) + 1);
		}
	});

	it('is taken back, and can be filled again', async () => {
		await force(without);
		const id = await live();
		await force(release);
		const first = await looked('times_moved_back', [id]);
		await done(first.id);
		const { id: back } = await takeBack(t.author, first.id);
		await workAll();
		await done(back);
		expect(await held(id, 'times_moved_back')).toEqual({ v: null, by: null });
		expect((await readBulk(db(), first.id))!.undoneBy).toBe(back);
		expect((await looked('times_moved_back', [id])).looks).toMatchObject([{ is: 'changed' }]);
	});

	it('leaves what nothing happened to, and what a person set since', async () => {
		await force(without);
		const still = await set(null, { name: 'Still', stage: 'quotation' });
		const byHand = await live();
		await set(byHand, { times_moved_back: '9' });
		await force(release);
		const { id } = await looked('times_moved_back', [still, byHand]);
		expect((await tallyBulk(db(), id, 'look')).is).toMatchObject({ same: 2, changed: 0 });
	});

	it('refuses a record whose history does not explain what it is', async () => {
		await force(without);
		const id = await live();
		await db().query(`update r_deal set f_amount = 5 where id = $1`, [id]);
		await force(release);
		expect((await looked('times_moved_back', [id])).looks).toMatchObject([
			{ is: 'refused', faults: [{ message: expect.stringContaining('“Amount”') as string }] }
		]);
	});

	it('says what is not known where history was forgotten', async () => {
		await force(without);
		const long = await live();
		const still = await set(null, { name: 'Still', stage: 'quotation' });
		await db().query("update change set at = now() - interval '60 days'");
		await set(long, { stage: 'negotiation' });
		await set(long, { stage: 'lost' });
		const later = await live();
		await forgetBeyond(db(), t.workspace, { history: 30 });
		await force(release);
		const look = async (id: string) => (await looked('stage_before_loss', [id])).looks[0];
		const day = /what happened (to it )?before \d+ \w+ \d{4} is not kept/i;
		const filled = { is: 'changed', event: { because: expect.stringMatching(day) as string } };
		expect(await look(long)).toMatchObject(filled);
		expect(await look(still)).toMatchObject({
			is: 'refused',
			faults: [{ message: expect.stringMatching(day) as string }]
		});
		// all of this one is known
		expect((await look(later)).event!.because).not.toMatch(day);
	});

	it('is refused for a field that nothing that happens gives a value', async () => {
		await force(release);
		await expect(
			askBulk(t.author, {
				type: 'deal',
				which: { list: EVERYTHING },
				does: { k: 'history', field: 'name' },
				spare: true,
				messages: false
			})
		).rejects.toThrow('nothing in history to fill it from');
	});

	it('goes by the rules of a pilot for its records, and by those in force for the others', async () => {
		await force(without);
		const [chosen, other] = [await live(), await live()];
		await set(chosen, { name: 'Chosen' });
		await startPilot(t.admin, {
			step: 'start',
			release,
			choice: {
				chosen: [{ type: 'deal', condition: formula('deal', 'Name = "Chosen"') }],
				brought: null
			},
			why: ''
		});
		await workAll();
		const { id, looks } = await looked('times_moved_back', [chosen, other]);
		expect(looks.map((l) => l.is).sort()).toEqual(['changed', 'same']);
		await done(id);
		expect(Number((await held(chosen, 'times_moved_back')).v)).toBe(1);
		expect((await held(other, 'times_moved_back')).v).toBeNull();
	});
});
