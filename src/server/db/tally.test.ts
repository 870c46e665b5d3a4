/** Counts that are kept up are those that counting all of history gives, whatever is stored meanwhile. */
import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { save } from '../records';
import { nextChanges, writeHistory } from './history';
import { knownOverruled, overruledIn, tallies } from './journal';
import { db } from './pool';
import { countAll, countUp, tallied } from './tally';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());
beforeEach(async () => {
	for (const table of ['rule_tally', 'tally_state']) await db().query(`delete from ${table}`);
});

const NOW = Date.UTC(2026, 10, 24, 9, 50);
const SINCE = '2026-11-01T00:00:00.000Z';
const put = (id: string | null, sent: [string, unknown][], minutes = 0, type = 'customer') =>
	save(
		{
			workspace: t.workspace,
			account: t.admin,
			entryPoint: 'full',
			instant: NOW + minutes * 60_000
		},
		[{ type, id, sent, keep: 'touched' }]
	).then(
		([o]) => o.id,
		() => null
	);
const sorted = async () =>
	(await tallied(db(), t.workspace, SINCE)).sort((a, b) =>
		`${a.claim} ${a.outcome}` < `${b.claim} ${b.outcome}` ? -1 : 1
	);
const overruled = async () => overruledIn(await tallied(db(), t.workspace, SINCE), SINCE);
const known = () => knownOverruled(db(), t.workspace, NOW);
/** A minute and more goes by. */
const later = () => db().query("update tally_state set seen_at = seen_at - interval '2 minutes'");
/** What tests beside this one have under way in the same PostgreSQL is waited for as well. */
async function until(done: () => Promise<boolean>) {
	for (let i = 0; !(await done()); i++) {
		if (i > 400) throw new Error('It did not come to that.');
		await new Promise((r) => setTimeout(r, 50));
	}
}
const number = async (sql: string) =>
	Number((await db().query<{ n: string }>(`select (select ${sql}) as n`)).rows[0].n);

/** Customers whose size people set otherwise, who are refused, over more than one hour. */
async function work() {
	const id = await put(null, [
		['trading_name', 'Counted'],
		['headcount', '60']
	]);
	await put(id, [['key_grower', true]], 2);
	await put(id, [['service_plan', 'on_call']], 5);
	await put(id, [['size_class', 'large']], 5);
	// options that a rule had added
	await put(id, [['country', 'denmark']], 6);
	await put(id, [['permitted_fuels', ['geothermal']]], 7);
	await put(id, [['headcount', '700']], 15);
	await put(id, [['headcount', '5']], 65);
	const late: [string, unknown][] = [
		['name', 'X'],
		['stage', 'negotiation'],
		['close_date', '2026-01-01']
	];
	expect(await put(null, late, 65, 'deal')).toBeNull();
}

it('are the same, piece by piece, and need nothing of what they have counted', async () => {
	await work();
	const all = await sorted();
	const before = await overruled();
	const told = await tallies(db(), t.workspace, SINCE);
	expect(all.map((x) => x.outcome)).toEqual(
		expect.arrayContaining(['set', 'overruled', 'refused', 'set aside'])
	);
	expect(Object.keys(before)).not.toHaveLength(0);
	expect(all).toContainEqual(
		expect.objectContaining({ claim: 'fuels:o1', outcome: 'overruled', n: 1 })
	);
	expect(await countUp(t.workspace)).toBe(false);
	// what was the newest then is not counted before its time
	expect(await countUp(t.workspace)).toBe(false);
	expect(await number('count(*) from rule_tally')).toBe(0);
	expect(await number('seen_changes from tally_state')).toBeGreaterThan(0);
	await later();
	let pieces = 0;
	await until(async () => {
		if (await countUp(t.workspace, 2)) pieces++;
		expect(await sorted()).toEqual(all);
		return (
			(await number('seen_changes - changes + seen_refusals - refusals from tally_state')) === 0
		);
	});
	expect(pieces).toBeGreaterThan(1);
	const gone = await db().connect();
	await gone.query('begin');
	await gone.query('delete from record_change');
	await gone.query('delete from refusal');
	expect(
		(await tallied(gone, t.workspace, SINCE)).sort((a, b) =>
			`${a.claim} ${a.outcome}` < `${b.claim} ${b.outcome}` ? -1 : 1
		)
	).toEqual(all);
	await gone.query('rollback');
	gone.release();
	expect(await overruled()).toEqual(before);
	expect(await tallies(db(), t.workspace, SINCE)).toEqual(told);
	// and what comes afterwards is added
	await work();
	const more = await sorted();
	for (const table of ['rule_tally', 'tally_state']) await db().query(`delete from ${table}`);
	expect(more).toEqual(await sorted());
});

it('that every page asks for are those counted so far, and history is not read for them', async () => {
	await work();
	expect(await known()).toEqual({});
	const before = await overruled();
	await until(async () => {
		await countAll(t.workspace);
		return Object.keys(await known()).length > 0;
	});
	const sofar = await known();
	const figures = (of: typeof sofar) =>
		Object.entries(of).map(([c, o]) => [c, o.wrote, o.overruled]);
	expect(figures(sofar).sort()).toEqual(figures(before).sort());
	await work();
	expect(await known()).toEqual(sofar);
	expect(await overruled()).not.toEqual(before);
});

it('wait for whoever has a number and has not stored it yet', async () => {
	const slow = await db().connect();
	await slow.query('begin');
	const [change] = await nextChanges(slow, 1);
	const line = { type: 'customer', record: '1', field: 'size_class', was: null, now: 'small' };
	await writeHistory(
		slow,
		t.workspace,
		{ at: new Date(NOW).toISOString(), account: t.admin.id, entryPoint: 'full', release: 3 },
		[
			{
				number: change,
				lines: [{ ...line, claim: 'slow:o', ruleName: 'Slow', because: null, outcome: 'set' }],
				quiet: [],
				submission: null,
				made: new Set()
			}
		]
	);
	await work();
	await countUp(t.workspace);
	await later();
	await countUp(t.workspace);
	await later();
	await countUp(t.workspace);
	expect(await number('changes from tally_state')).toBe(0);
	await slow.query('commit');
	slow.release();
	await until(async () => {
		await later();
		await countUp(t.workspace);
		return (await number('changes from tally_state')) > Number(change);
	});
	expect((await sorted()).find((x) => x.claim === 'slow:o')).toMatchObject({ n: 1, name: 'Slow' });
});

it('are counted by one at a time', async () => {
	await work();
	const all = await sorted();
	await countUp(t.workspace);
	await later();
	await countUp(t.workspace);
	await later();
	await Promise.all(Array.from({ length: 4 }, () => countUp(t.workspace)));
	expect(await sorted()).toEqual(all);
});

it('of long ago are kept by the day', async () => {
	for (const hour of [0, 3, 7, 23])
		await db().query(
			`insert into rule_tally (workspace, at, claim, outcome, n, last, rule_name)
			 values ($1, $2, 'old:o', 'set', $3, $2, $4)`,
			[t.workspace, new Date(Date.UTC(2026, 10, 2, hour)).toISOString(), hour + 1, `At ${hour}`]
		);
	await until(async () => {
		await countUp(t.workspace);
		await later();
		return (await number("count(*) from rule_tally where claim = 'old:o'")) === 1;
	});
	expect((await sorted()).find((x) => x.claim === 'old:o')).toMatchObject({ n: 37, name: 'At 23' });
});
