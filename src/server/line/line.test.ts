/** What is out of line, in PostgreSQL: found by jobs, true when it is seen, brought in, left, and taken up again. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { JsonValue, RuleSet } from '../../core';
import { Schema, compilePlan, standingFields } from '../../core';
import type { BulkAsked } from '../../door/bulk';
import { EVERYTHING } from '../../door/lists';
import { checkLineStep, type LineIs } from '../../door/line';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { lockedOtherwise } from '../../../tests/from-nothing';
import { workAll, workBeside } from '../../../tests/worker';
import { askBulk, beginBulk, takeBack } from '../bulk/bulk';
import { tallyBulk } from '../db/bulk';
import { openJobs, readJob } from '../db/jobs';
import { keepLine, lineOfRecord } from '../db/line';
import { readModel } from '../db/model';
import { db, transaction } from '../db/pool';
import { readValues } from '../db/records';
import {
	createRelease,
	lockDraft,
	putInForce,
	readRelease,
	rulesOf,
	withLiving
} from '../db/rules';
import { queueLine, queueLineOfDay, queueLineOfRelease } from '../jobs/line';
import { readyList, stretchOf } from '../lists/list';
import { inForce, remove, save } from '../records';
import { lineCounts, lineOfOne, lineShown, lineStep, newestLook } from './line';
import { lineAmong } from './lined';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const sender = (entryPoint: 'full' | 'import' | 'api' = 'full') => ({
	workspace: t.workspace,
	account: t.author,
	entryPoint,
	instant: Date.now()
});
const change = (
	type: string,
	id: string | null,
	values: Record<string, JsonValue>,
	{ keep = [] as string[], road = 'full' as 'full' | 'import' | 'api' } = {}
) => save(sender(road), [{ type, id, keep, sent: Object.entries(values) }]).then((r) => r[0].id);
/** One after the other, so that their numbers are in this order. */
async function inTurn<T>(of: readonly T[], make: (x: T, i: number) => Promise<string>) {
	const out: string[] = [];
	for (const [i, x] of of.entries()) out.push(await make(x, i));
	return out;
}
async function look() {
	const job = await queueLine(t.workspace, t.author.id);
	await workAll();
	return (await readJob(db(), job!))!;
}
/** Comes back when somebody waits for a lock. */
async function waitsForLock() {
	for (;;) {
		const { rows } = await db().query(
			"select 1 from pg_stat_activity where wait_event_type = 'Lock' and datname = current_database()"
		);
		if (rows.length) return;
		await new Promise((r) => setTimeout(r, 20));
	}
}
async function counted(type: string, field: string) {
	const of = (await lineCounts(t.workspace)).filter((c) => c.type === type && c.field === field);
	const sum = (is: LineIs) => of.reduce((n, c) => n + c[is], 0);
	return { open: sum('open'), hand: sum('hand'), failed: sum('failed'), left: sum('left') };
}
const shown = async (type: string, field: string, is: LineIs = 'open') => {
	const out = [];
	for (let after: string | null = '0'; after !== null;) {
		const page: Awaited<ReturnType<typeof lineShown>> = await lineShown(
			t.workspace,
			{ type, field, is },
			after
		);
		out.push(...page.rows);
		after = page.next;
	}
	return out;
};
const stored = async (type: string, id: string, field: string) =>
	(
		await db().query<{ v: unknown; by: unknown }>(
			`select f_${field} as v, set_by->'${field}' as by from r_${type} where id = $1`,
			[id]
		)
	).rows[0];
/** Writes past the rules, as a value from before them stands. */
const plant = (type: string, ids: readonly string[], field: string, v: string | null) =>
	db().query(
		`update r_${type} set f_${field} = $2, set_by = set_by - $3::text where id = any($1::bigint[])`,
		[ids, v, field]
	);
/** Puts a changed rule set in force, as a release does. */
const release = (alter: (set: RuleSet) => RuleSet) =>
	transaction(async (c) => {
		const { plan: before, release: n } = await inForce(c, t.workspace);
		const { model } = await readModel(c, t.workspace);
		const set = alter(rulesOf((await readRelease(c, t.workspace, n))!));
		const after = compilePlan(new Schema(model), await withLiving(c, t.workspace, set));
		expect(after.problems).toEqual([]);
		const number = await createRelease(c, t.workspace, set, model, 'A test', t.admin.id);
		await queueLineOfRelease(c, t.workspace, before, after, t.admin.id);
		return { before: n, number };
	});
const back = (n: number) =>
	transaction(async (c) => {
		const { plan: before, schema } = await inForce(c, t.workspace);
		const doc = (await readRelease(c, t.workspace, n))!;
		await putInForce(c, t.workspace, n, t.admin.id);
		const after = compilePlan(
			new Schema(schema.model),
			await withLiving(c, t.workspace, rulesOf(doc))
		);
		await queueLineOfRelease(c, t.workspace, before, after, t.admin.id);
	});
const bring = (field: string, more: Partial<BulkAsked> = {}, type = 'contact'): BulkAsked => ({
	type,
	which: { list: { ...EVERYTHING, line: { field, is: 'open' } } },
	does: { k: 'line', field },
	spare: true,
	messages: false,
	...more
});
async function bulk(asked: BulkAsked) {
	const { id } = await askBulk(t.author, asked);
	await workAll();
	const { job } = await beginBulk(t.author, id);
	await workAll();
	expect(await readJob(db(), job)).toMatchObject({ state: 'done' });
	return id;
}

describe('the standing list', () => {
	it('holds what settling each record from nothing gives otherwise, for Locked fields', async () => {
		await look();
		const otherwise = await lockedOtherwise(t.workspace);
		const { plan } = await inForce(db(), t.workspace);
		const locked = (type: string, field: string) =>
			plan.nodes.some(
				(n) =>
					n.type === type &&
					n.field.id === field &&
					n.claims.some((c) => c.output.hold === 'locked')
			);
		const { rows } = await db().query<{ type: string; record: string; field: string }>(
			'select type, record::text, field from out_of_line where not by_hand'
		);
		const listed = rows.filter((r) => locked(r.type, r.field));
		expect(listed.length).toBeGreaterThan(0);
		expect(listed.map((r) => `${r.type} ${r.record} ${r.field}`).sort()).toEqual(otherwise);
	});

	it('tells each with its reason, by hand apart, and what was kept on its road as well', async () => {
		const ids = await inTurn(['A1-Yard 1', 'A2-Yard 2', 'A3-Yard 3'], (site_code, i) =>
			change('contact', null, { full_name_as_received: `Line ${i}`, site_code })
		);
		const [old, hand, kept] = ids;
		await plant('contact', [old], 'delivery_yard', null);
		await change('contact', hand, { delivery_yard: 'By the gate' });
		await change(
			'contact',
			kept,
			{ site_code: 'A3-Yard 9', delivery_yard: 'As imported' },
			{ keep: ['delivery_yard'], road: 'import' }
		);
		await look();
		const open = await shown('contact', 'delivery_yard');
		expect(open.find((r) => r.record === old)).toMatchObject({
			stored: null,
			result: 'Yard 1',
			title: 'Line 0',
			because: expect.stringContaining('A1-Yard 1')
		});
		const byHand = await shown('contact', 'delivery_yard', 'hand');
		expect(byHand.map((r) => [r.record, r.stored, r.result])).toEqual([
			[hand, 'By the gate', 'Yard 2'],
			[kept, 'As imported', 'Yard 9']
		]);
		expect(byHand[0].because).toContain('A2-Yard 2');
		// what is deleted is not out of line
		const gone = await change('contact', null, {
			full_name_as_received: 'Gone',
			site_code: 'X-Yard 4'
		});
		await plant('contact', [gone], 'delivery_yard', 'Yard 1');
		await look();
		const n = (await shown('contact', 'delivery_yard')).length;
		await remove(sender(), { type: 'contact', id: gone });
		expect(await counted('contact', 'delivery_yard')).toMatchObject({ open: n - 1 });
		// and the list of records shows the same
		const { schema } = await inForce(db(), t.workspace);
		const by = { workspace: t.workspace, person: null, instant: Date.now() };
		const listOf = async (is: LineIs, field: string | null = 'delivery_yard') => {
			const l = await readyList(db(), schema, by, 'contact', {
				...EVERYTHING,
				line: { field, is }
			});
			const { rows } = await stretchOf(db(), l, { from: null, back: false, size: 200 });
			return rows.map((r) => r.record.id).sort();
		};
		expect(await listOf('hand')).toEqual([hand, kept].sort());
		expect((await listOf('open')).length).toBe(n - 1);
		expect(await listOf('open', null)).toContain(old);
		await expect(listOf('open', 'nosuch')).rejects.toThrow('There is no field “nosuch”');
	});

	it('is true when it is seen: what was saved or planted since is looked at again', async () => {
		const id = await change('contact', null, {
			full_name_as_received: 'Seen',
			site_code: 'B1-Yard 1'
		});
		await plant('contact', [id], 'delivery_yard', 'Yard 7');
		await look();
		const mine = async () =>
			(await shown('contact', 'delivery_yard')).filter((r) => r.record === id);
		expect((await mine()).map((r) => r.result)).toEqual(['Yard 1']);
		expect(await lineOfOne(t.workspace, 'contact', id)).toMatchObject([
			{ field: 'delivery_yard', result: 'Yard 1', left: null }
		]);
		// the rule writes it: it is in line at once
		const before = await counted('contact', 'delivery_yard');
		await change('contact', id, { site_code: 'B1-Yard 5' });
		expect((await counted('contact', 'delivery_yard')).open).toBe(before.open - 1);
		expect(await lineOfOne(t.workspace, 'contact', id)).toEqual([]);
		// put right past the rules: the list says so when it is opened
		await plant('contact', [id], 'delivery_yard', 'Yard 7');
		await look();
		await plant('contact', [id], 'delivery_yard', 'Yard 5');
		expect(await mine()).toEqual([]);
		expect(await lineOfOne(t.workspace, 'contact', id)).toEqual([]);
	});
});

describe('a look and a save at the same moment', () => {
	it('leave nothing in the list that is not so any more', async () => {
		const id = await change('contact', null, {
			full_name_as_received: 'Race',
			site_code: 'R-Yard 1'
		});
		await plant('contact', [id], 'delivery_yard', 'Yard 9');
		const force = await inForce(db(), t.workspace);
		const { workspace } = t;
		const read = async () => {
			const records = await readValues(db(), force.schema, workspace, 'contact', [id], {
				setBy: true
			});
			return lineAmong(db(), workspace, force, 'contact', records, Date.now());
		};
		const keep = (found: Awaited<ReturnType<typeof read>>) =>
			keepLine(db(), workspace, 'contact', { ids: [id] }, ['delivery_yard'], force.release, found);
		const found = await read();
		expect(found.map((f) => f.result)).toEqual(['Yard 1']);
		await keep(found);
		expect(await lineOfRecord(db(), workspace, 'contact', id)).toHaveLength(1);
		// saved between reading and keeping
		await change('contact', id, { site_code: 'R-Yard 2' });
		await keep(found);
		expect(await lineOfRecord(db(), workspace, 'contact', id)).toEqual([]);
		// saved by somebody who is not done yet: waited for
		await plant('contact', [id], 'delivery_yard', 'Yard 9');
		const again = await read();
		let kept: Promise<void>;
		await transaction(async (c) => {
			await c.query('select 1 from r_contact where id = $1 for update', [id]);
			kept = keep(again);
			await new Promise((r) => setTimeout(r, 100));
			await c.query('update r_contact set version = version + 1 where id = $1', [id]);
		});
		await kept!;
		expect(await lineOfRecord(db(), workspace, 'contact', id)).toEqual([]);
	});
});

describe('what is left as it is', () => {
	it('stays left until the value or the result changes, with who and why', async () => {
		const make = (n: number) =>
			change('contact', null, { full_name_as_received: `Left ${n}`, site_code: `C-Yard ${n}` });
		const [a, b, c] = await inTurn([1, 2, 3], make);
		await plant('contact', [a, b, c], 'delivery_yard', 'Old yard');
		await look();
		const which = { type: 'contact', field: 'delivery_yard', is: 'open' as const };
		const why = 'The yard keeps its old name until spring';
		expect(await lineStep(t.author, { step: 'leave', ...which, ids: [a, b, c], why })).toEqual({
			n: 3
		});
		// of two who leave the same, the second hears so
		await expect(lineStep(t.author, { step: 'leave', ...which, ids: [a], why })).rejects.toThrow(
			'as you saw it'
		);
		await look();
		const left = await shown('contact', 'delivery_yard', 'left');
		expect(left.map((r) => [r.record, r.left?.by, r.left?.why])).toEqual(
			[a, b, c].map((id) => [id, t.author.name, why])
		);
		// not brought into line with the others
		const id = await bulk(bring('delivery_yard'));
		expect((await tallyBulk(db(), id, 'look')).is.changed).toBeGreaterThan(0);
		expect((await stored('contact', a, 'delivery_yard')).v).toBe('Old yard');
		// another value, another result: each is looked at as new
		await plant('contact', [a], 'delivery_yard', 'Another yard');
		await plant('contact', [b], 'site_code', 'C-Yard 8');
		await look();
		expect((await shown('contact', 'delivery_yard', 'left')).map((r) => r.record)).toEqual([c]);
		expect((await shown('contact', 'delivery_yard')).map((r) => [r.record, r.result])).toEqual([
			[a, 'Yard 1'],
			[b, 'Yard 8']
		]);
		expect(await lineStep(t.author, { step: 'take up', ...which, is: 'left', ids: null })).toEqual({
			n: 1
		});
		expect(await counted('contact', 'delivery_yard')).toMatchObject({ open: 3, left: 0 });
		const { rows } = await db().query<{ did: string }>(
			`select did from audit where did like '%out of line%' order by id`
		);
		expect(rows.map((r) => r.did)).toEqual([
			'left values out of line',
			'took up again what was left out of line'
		]);
	});
});

describe('bringing into line', () => {
	it('writes that field alone, spares by hand unless chosen, and is taken back', async () => {
		const [a, b] = await inTurn([1, 2], (n) =>
			change('contact', null, {
				full_name_as_received: `Bring ${n}`,
				site_code: `D-Yard ${n}`,
				phone: '1'
			})
		);
		await plant('contact', [a], 'delivery_yard', 'Old');
		await plant('contact', [a], 'greeting', 'Hello there');
		await change('contact', b, { delivery_yard: 'By hand' });
		await look();
		const before = await stored('contact', a, 'delivery_yard');
		const id = await bulk(bring('delivery_yard', { which: { ids: [a, b] } }));
		expect((await tallyBulk(db(), id, 'outcome')).is).toMatchObject({ changed: 1, spared: 0 });
		expect((await stored('contact', a, 'delivery_yard')).v).toBe('Yard 1');
		expect((await stored('contact', b, 'delivery_yard')).v).toBe('By hand');
		// what is out of line besides waits to be chosen
		expect((await stored('contact', a, 'greeting')).v).toBe('Hello there');
		expect((await shown('contact', 'delivery_yard')).map((r) => r.record)).not.toContain(a);
		const over = await bulk(bring('delivery_yard', { which: { ids: [b] }, spare: false }));
		expect((await stored('contact', b, 'delivery_yard')).v).toBe('Yard 2');

		for (const [of, record] of [
			[id, a],
			[over, b]
		]) {
			const { id: undo } = await takeBack(t.author, of);
			await workAll();
			await beginBulk(t.author, undo);
			await workAll();
			const is = record === a ? 'open' : 'hand';
			expect((await shown('contact', 'delivery_yard', is)).map((r) => r.record)).toContain(record);
		}
		expect(await stored('contact', a, 'delivery_yard')).toEqual(before);
		await expect(askBulk(t.author, bring('phone'))).rejects.toThrow(
			'No rule in force holds “Phone”'
		);
	});
});

describe('a look', () => {
	const headcount = (limit: string) => (set: RuleSet) => ({
		...set,
		rules: set.rules.map((r) =>
			r.id === 'yard'
				? {
						...r,
						body: {
							kind: 'formula' as const,
							formulas: [{ expr: { k: 'text' as const, v: limit } }]
						}
					}
				: r
		)
	});
	it('follows each release for what that gives otherwise; nothing stored changes', async () => {
		await look();
		const before = await counted('contact', 'delivery_yard');
		const sum = () =>
			db().query('select md5(string_agg(r::text, $1 order by id)) from r_contact r', ['|']);
		const rows = (await sum()).rows;
		const { before: n } = await release(headcount('Everywhere'));
		await workAll();
		const looked = await newestLook(t.workspace);
		expect(looked).toMatchObject({ state: 'done', title: 'Contacts' });
		const now = await counted('contact', 'delivery_yard');
		expect(now.open).toBeGreaterThan(before.open);
		expect((await sum()).rows).toEqual(rows);
		await back(n);
		await workAll();
		expect(await counted('contact', 'delivery_yard')).toEqual(before);
		// a rule that is gone holds nothing
		const { before: m } = await release((set) => ({
			...set,
			rules: set.rules.filter((r) => r.id !== 'yard')
		}));
		await workAll();
		expect(await counted('contact', 'delivery_yard')).toEqual({
			open: 0,
			hand: 0,
			failed: 0,
			left: 0
		});
		await back(m);
		await workAll();
		expect((await counted('contact', 'delivery_yard')).open).toBe(before.open);
	});

	it('comes once a day, and once however many ask', async () => {
		const looks = async () =>
			(await db().query("select from job where kind = 'out-of-line look'")).rowCount!;
		const n = await looks();
		const day = Date.UTC(2031, 4, 1, 12);
		await Promise.all([1, 2, 3].map(() => queueLineOfDay(t.workspace, day)));
		await queueLineOfDay(t.workspace, day + 3_600_000);
		expect(await looks()).toBe(n + 1);
		await queueLineOfDay(t.workspace, day + 86_400_000);
		expect(await looks()).toBe(n + 2);
		await workAll();
		const first = await queueLine(t.workspace, t.author.id);
		expect(await queueLine(t.workspace, t.admin.id)).toBe(first);
		await workAll();
		expect(await queueLine(t.workspace, t.admin.id)).not.toBe(first);
		await workAll();
	});

	it('that began by one release and ends by another leaves nothing of what that no longer holds', async () => {
		const { release: n } = await inForce(db(), t.workspace);
		const none = { open: 0, hand: 0, failed: 0, left: 0 };
		expect(await counted('contact', 'delivery_yard')).not.toEqual(none);
		const doc = (await readRelease(db(), t.workspace, n))!;
		const { model } = await readModel(db(), t.workspace);
		const set = rulesOf(doc);
		const less = { ...set, rules: set.rules.filter((r) => r.id !== 'yard') };
		const plans = [set, less].map((s) => compilePlan(new Schema(model), s));
		await queueLine(t.workspace, t.author.id);
		let working: Promise<void> | undefined;
		await transaction(async (c) => {
			await lockDraft(c, t.workspace);
			// what it found by the release before waits here until the next is in force
			working = workAll();
			await waitsForLock();
			const number = await createRelease(c, t.workspace, less, model, 'No yard', null, null, true);
			await putInForce(c, t.workspace, number, null);
			await queueLineOfRelease(c, t.workspace, plans[0], plans[1], t.author.id);
		});
		await working;
		expect(await counted('contact', 'delivery_yard')).toEqual(none);
		// what nobody knows how it came there goes with the next look
		await db().query(
			`insert into out_of_line (workspace, type, record, field, claim, stored, result, by_hand, release, version)
			 select workspace, 'contact', id, 'delivery_yard', 'yard:o1', 'null', 'null', false, $1, version from r_contact limit 1`,
			[n]
		);
		await look();
		expect(await counted('contact', 'delivery_yard')).toEqual(none);
		await back(n);
		await workAll();
	}, 60_000);

	it('is done by two workers, while a release comes in force and records change', async () => {
		const worker = await workBeside();
		try {
			const n = (await inForce(db(), t.workspace)).release;
			const ids = (await db().query<{ id: string }>('select id::text from r_contact order by id'))
				.rows;
			await Promise.all([
				queueLine(t.workspace, t.author.id),
				release(headcount('Nowhere')),
				...ids.slice(0, 10).map(({ id }, i) => change('contact', id, { phone: String(i) }))
			]);
			await back(n);
			for (let i = 0; i < 200; i++) {
				const open = await openJobs(db(), t.workspace);
				if (!open.length) break;
				await new Promise((r) => setTimeout(r, 50));
			}
		} finally {
			await worker.stop();
		}
		const after = await lineCounts(t.workspace);
		await look();
		expect(await lineCounts(t.workspace)).toEqual(after);
		const { plan } = await inForce(db(), t.workspace);
		for (const c of after) expect(standingFields(plan, c.type)).toContain(c.field);
	});
});

it('what is asked is named where it is wrong', () => {
	const which = { type: 'contact', field: 'delivery_yard', is: 'open', ids: null };
	expect(checkLineStep({ step: 'leave', ...which, why: ' because ' })).toEqual({
		step: 'leave',
		...which,
		why: 'because'
	});
	expect(checkLineStep({ step: 'look' })).toEqual({ step: 'look' });
	for (const wrong of [
		{ step: 'leave', ...which },
		{ step: 'leave', ...which, why: '  ' },
		{ step: 'leave', why: 'x' },
		{ step: 'look', type: 'contact' },
		{ step: 'take up', ...which, ids: ['x'] },
		{ step: 'take up', ...which, ids: [] },
		{ step: 'take up', ...which, is: 'other' },
		{ step: 'go' },
		null
	])
		expect(() => checkLineStep(wrong), JSON.stringify(wrong)).toThrow();
});
