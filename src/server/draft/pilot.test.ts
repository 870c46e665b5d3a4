/** A pilot on every road: each record by its own release, members stored, differences kept, started, widened and ended. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { workBeside } from '../../../tests/worker';
import type { EntryPoint, PilotChoice } from '../../core';
import { formula } from '../../../demo/rules';
import { demoModel } from '../../../demo/model';
import { checkPilotStep } from '../../door/pilot';
import { readEntries } from '../db/audit';
import { readHistory } from '../db/history';
import { openJobs } from '../db/jobs';
import { differencesByDay, listDifferences, listPilots, membershipOf, pilotOn } from '../db/pilot';
import { db } from '../db/pool';
import { createRelease, readRelease, releaseInForce, rulesOf } from '../db/rules';
import { readRecords } from '../db/records';
import { lineOfOne } from '../line/line';
import { RefusedChange, inForce, remove, save, type Submission } from '../records';
import { endOfPilot, lookAtPilot, startPilot, widenPilot } from './pilot';
import { putReleaseInForce, releaseDraft } from './release';
import { revisionOf } from './revision';

let t: Fresh;
let worker: Awaited<ReturnType<typeof workBeside>>;
let beside: number;
let tried: number;

beforeAll(async () => {
	t = await freshDatabase();
	worker = await workBeside();
	beside = await releaseInForce(db(), t.workspace);
	const set = rulesOf((await readRelease(db(), t.workspace, beside))!);
	// the same rules, but small goes up to 60, no customer may have more than 5 000 people, and the name is repeated in the note
	const rules = set.rules.map((r) =>
		r.id === 'size_class'
			? { ...r, body: JSON.parse(JSON.stringify(r.body).replaceAll('"50"', '"60"')) }
			: r
	);
	const check = {
		...set.rules.find((r) => r.kind === 'validate' && r.body.kind === 'check')!,
		id: 'not_too_many',
		name: 'Not too many',
		type: 'customer',
		guard: null,
		moments: ['created', 'changed', 'request'] as never,
		entryPoints: null,
		outputs: [{ id: 'o1', field: 'headcount', hold: 'follow' as const, none: 'next' as const }],
		body: {
			kind: 'check' as const,
			holds: formula('customer', 'Headcount <= 5000'),
			message: ['Ask the office first.'],
			blocking: true
		}
	};
	const told = {
		...set.rules.find((r) => r.body.kind === 'message')!,
		id: 'told',
		name: 'Told of Avocet',
		type: 'customer',
		moments: ['created'] as never,
		guard: formula('customer', 'Trading name = "Avocet Roses"'),
		entering: false,
		watch: null,
		entryPoints: null,
		outputs: [],
		body: {
			kind: 'message' as const,
			each: null,
			filter: null,
			to: { text: '"desk@quillmere.example"' },
			subject: ['Avocet'],
			text: ['Look at it.'],
			once: 'event' as const
		}
	};
	tried = await createRelease(
		db(),
		t.workspace,
		{ ...set, rules: [...rules, check as never, told as never] },
		demoModel,
		'To be tried',
		null,
		null,
		false
	);
});
afterAll(async () => {
	await worker.stop();
	await t.drop();
});

const sender = (entryPoint: EntryPoint = 'full', account = t.author) => ({
	workspace: t.workspace,
	account,
	entryPoint,
	instant: Date.UTC(2026, 10, 23, 9)
});
const one = async (
	s: Partial<Submission> & { sent: Submission['sent'] },
	entry: EntryPoint = 'full',
	account = t.author
) => (await save(sender(entry, account), [{ type: 'customer', id: null, keep: [], ...s }]))[0];
const customer = (name: string, headcount: string, city = 'Leiden') =>
	[
		['trading_name', name],
		['headcount', headcount],
		['registered_name', city]
	] as Submission['sent'];
const stored = async (id: string) =>
	(
		await readRecords(db(), (await inForce(db(), t.workspace)).schema, t.workspace, 'customer', [
			id
		])
	)[0];
const inCity = (city: string): PilotChoice => ({
	chosen: [{ type: 'customer', condition: formula('customer', `Registered name = "${city}"`) }],
	brought: null
});
const start = (choice: PilotChoice, why = 'To see') =>
	startPilot(t.admin, { step: 'start', release: tried, choice, why });
const on = async () => (await pilotOn(db(), t.workspace))!;
const end = async (step: 'withdraw' | 'take') =>
	endOfPilot(t.admin, { step, pilot: (await on()).id, why: 'Seen enough' });
const belongs = async (id: string) => membershipOf(db(), (await on()).id, 'customer', id);
const idle = async () => {
	for (let i = 0; i < 200; i++) {
		const open = await openJobs(db(), t.workspace);
		if (!open.length) return;
		await new Promise((r) => setTimeout(r, 100));
	}
	throw new Error('Jobs do not end.');
};

describe('a pilot by a condition', () => {
	let there: string;
	let elsewhere: string;
	it('counts first what it would take, and stores nothing', async () => {
		there = (await one({ sent: customer('Tern Roses', '55', 'Pilotwijk') })).id;
		elsewhere = (await one({ sent: customer('Plover Roses', '55') })).id;
		expect((await stored(there)).values).toEqual(expect.arrayContaining(['medium']));
		const look = { step: 'look' as const, release: tried, choice: inCity('Pilotwijk') };
		expect(await lookAtPilot(t.admin, look)).toEqual({ members: { customer: 1 } });
		expect(await pilotOn(db(), t.workspace)).toBeNull();
	});
	it('starts with the records that meet it, and writes nothing in them', async () => {
		const before = await stored(there);
		expect((await start(inCity('Pilotwijk'))).members).toEqual({ customer: 1 });
		expect(await belongs(there)).toMatchObject({ how: 'chosen' });
		expect(await belongs(elsewhere)).toBeNull();
		expect(await stored(there)).toEqual(before);
		expect(await releaseInForce(db(), t.workspace)).toBe(beside);
	});
	it('finds what of its records is out of line by their own release', async () => {
		await idle();
		expect(
			(await lineOfOne(t.workspace, 'customer', there)).map((l) => [l.field, l.result])
		).toEqual([['size_class', 'small']]);
		expect(await lineOfOne(t.workspace, 'customer', elsewhere)).toEqual([]);
	});
	it('decides each record by its own release, on every road, and history names it', async () => {
		for (const entry of ['full', 'short', 'api', 'import'] as const) {
			const mine = await one({ sent: customer('Curlew Roses', '55', 'Pilotwijk') }, entry);
			const theirs = await one({ sent: customer('Avocet Roses', '55') }, entry);
			expect([mine.values.size_class, mine.release], entry).toEqual(['small', tried]);
			expect([theirs.values.size_class, theirs.release], entry).toEqual(['medium', beside]);
			expect(await belongs(mine.id)).toMatchObject({ how: 'made' });
			expect((await stored(mine.id)).settledBy?.release).toBe(tried);
			const [h] = await readHistory(db(), t.workspace, 'customer', mine.id);
			expect(h.release).toBe(tried);
			const [o] = await readHistory(db(), t.workspace, 'customer', theirs.id);
			expect(o.release).toBe(beside);
		}
	});
	it('one that moves into the condition stays out, one that moves out of it stays in', async () => {
		const out = await one({ id: elsewhere, sent: [['registered_name', 'Pilotwijk']] });
		expect(out.release).toBe(beside);
		const still = await one({
			id: there,
			sent: [
				['registered_name', 'Leiden'],
				['headcount', '58']
			]
		});
		expect([still.release, still.values.size_class]).toEqual([tried, 'small']);
	});
	it('several in one transaction: the second change of a record finds that it belongs to it', async () => {
		const [made] = await save(sender('api'), [
			{ type: 'customer', id: null, keep: [], sent: customer('Ruff Roses', '59', 'Pilotwijk') }
		]);
		expect(made.values.size_class).toBe('small');
		const again = await one({ id: made.id, sent: [['headcount', '57']] }, 'import');
		expect([again.release, again.values.size_class]).toEqual([tried, 'small']);
	});
	it('keeps what the two decide differently: values, and what either refuses alone', async () => {
		const id = (await on()).id;
		const refused = one({ sent: customer('Heron Roses', '6000', 'Pilotwijk') });
		await expect(refused).rejects.toThrow('Ask the office first.');
		await one({ sent: customer('Heron Roses', '6000') });
		const asked = {
			zone: 'Europe/Amsterdam',
			day: null,
			type: 'customer',
			field: null,
			title: 'trading_name',
			before: null,
			most: 50
		};
		const all = await listDifferences(db(), id, asked);
		expect(all[0]).toMatchObject({
			kind: 'refused',
			record: null,
			field: 'headcount',
			message: 'Ask the office first.'
		});
		expect(all.filter((d) => d.kind === 'value' && d.record === there)).toEqual([
			expect.objectContaining({
				field: 'size_class',
				beside: 'medium',
				gave: 'small',
				title: 'Tern Roses'
			})
		]);
		expect(all.some((d) => d.record === elsewhere)).toBe(false);
		// and the messages that either sends alone
		const { id: avocet } = await one({ sent: customer('Avocet Roses', '55', 'Pilotwijk') });
		const messages = await listDifferences(db(), id, { ...asked, field: '~messages' });
		expect(messages).toMatchObject([
			{ kind: 'sent', record: avocet, message: '“Avocet” to desk@quillmere.example' }
		]);
		const days = await differencesByDay(db(), id, 'Europe/Amsterdam');
		expect(days.find((d) => d.kind === 'refused')).toEqual({
			day: '2026-11-23',
			type: 'customer',
			field: 'headcount',
			kind: 'refused',
			n: 1
		});
	});
	it('a form that ran the other release is shown the difference first', async () => {
		const seen = { id: there, sent: [['headcount', '56']] as Submission['sent'], release: beside };
		const e = await one(seen).catch((x: unknown) => x as RefusedChange);
		expect((e as RefusedChange).otherwise).toMatchObject({
			release: tried,
			differences: [{ field: 'size_class', shown: 'medium', now: 'small' }]
		});
		expect((await one({ ...seen, release: tried })).release).toBe(tried);
	});
	it('keeps other releases out of force, and is one at a time', async () => {
		await expect(putReleaseInForce(t.admin, 1)).rejects.toThrow('on as a pilot');
		const seen = await revisionOf(db(), t.workspace);
		await expect(releaseDraft(t.admin, { note: 'x', reasons: {}, seen })).rejects.toThrow(
			'on as a pilot'
		);
		await expect(start(inCity('Delft'))).rejects.toThrow('on as a pilot');
		const both = await Promise.allSettled([widen(inCity('Delft')), widen(inCity('Goes'))]);
		expect(both.map((b) => b.status).sort()).toEqual(['fulfilled', 'rejected']);
	});
	const widen = async (choice: PilotChoice) => {
		const { id, version } = await on();
		return widenPilot(t.admin, { step: 'widen', pilot: id, version, choice });
	};
	it('is widened: more belong to it, none leaves', async () => {
		expect((await widen(inCity('Leiden'))).members.customer).toBeGreaterThan(1);
		expect(await belongs(there)).toMatchObject({ how: 'chosen' });
		const made = await one({ sent: customer('Stork Roses', '55') });
		expect(made.release).toBe(tried);
	});
	it('a record that is deleted belongs to nothing', async () => {
		const { id } = await one({ sent: customer('Snipe Roses', '55') });
		expect(await belongs(id)).not.toBeNull();
		await remove(sender(), { type: 'customer', id });
		expect(await belongs(id)).toBeNull();
	});
	it('withdrawn in one action: the release in force decides all again, what differs is out of line', async () => {
		await one({ id: there, sent: [['phone', '+31 71 512 3456']] });
		const before = await stored(there);
		await end('withdraw');
		expect(await pilotOn(db(), t.workspace)).toBeNull();
		expect(await stored(there)).toEqual(before);
		await idle();
		expect(
			(await lineOfOne(t.workspace, 'customer', there)).map((l) => [l.field, l.result])
		).toEqual([['size_class', 'medium']]);
		const back = await one({ id: there, sent: [['headcount', '54']] });
		expect([back.release, back.values.size_class]).toEqual([beside, 'medium']);
		const [p] = await listPilots(db(), t.workspace, { most: 1 });
		expect(p.ended).toMatchObject({ how: 'withdrawn', why: 'Seen enough' });
		// what an event gave is told, and stays
		expect(p.lasting?.values.find((v) => v.field === 'details_checked_on')?.n).toBeGreaterThan(0);
		expect(p.lasting?.values.some((v) => v.field === 'size_class')).toBe(false);
		await expect(endOfPilot(t.admin, { step: 'withdraw', pilot: p.id, why: '' })).rejects.toThrow(
			'has ended meanwhile'
		);
		expect(await listPilots(db(), t.workspace, { most: 5, before: p.id })).toEqual([]);
		await db().query(
			`insert into pilot (workspace, release, beside, choice, why, started_by, ended, ended_at)
			 select workspace, release, beside, choice, 'Again', started_by, 'withdrawn', now() from pilot, generate_series(1, 2) where id = $1`,
			[p.id]
		);
		const all = await listPilots(db(), t.workspace, { most: 5 });
		expect(all).toHaveLength(3);
		expect(all[2].id).toBe(p.id);
		const ids = async (o: { before?: string; only?: string }) =>
			(await listPilots(db(), t.workspace, { most: 5, ...o })).map((x) => x.id);
		expect(await ids({ before: all[0].id })).toEqual([all[1].id, p.id]);
		expect(await ids({ only: p.id })).toEqual([p.id]);
	});
});

describe('a pilot by people and roads', () => {
	it('takes what they submit from then on, and it stays', async () => {
		const old = (await one({ sent: customer('Dunlin Roses', '55') })).id;
		await start({ chosen: [], brought: { accounts: [t.author.id], roads: ['full'] } });
		expect((await one({ id: old, sent: [['headcount', '56']] }, 'api')).release).toBe(beside);
		expect((await one({ id: old, sent: [['headcount', '57']] }, 'full', t.admin)).release).toBe(
			beside
		);
		const mine = await one({ id: old, sent: [['headcount', '58']] });
		expect([mine.release, mine.values.size_class]).toEqual([tried, 'small']);
		expect(await belongs(old)).toMatchObject({ how: 'brought' });
		expect((await one({ id: old, sent: [['headcount', '59']] }, 'api', t.admin)).release).toBe(
			tried
		);
	});
	it('many at once: each record by exactly one of the two', async () => {
		const ids = await Promise.all(
			Array.from(
				{ length: 12 },
				async (_, i) => (await one({ sent: customer(`Knot ${i}`, '55') }, 'api')).id
			)
		);
		await Promise.all(
			ids.flatMap((id) => [
				one({ id, sent: [['headcount', '56']] }),
				one({ id, sent: [['registered_name', 'Goes']] }, 'api', t.admin)
			])
		);
		for (const id of ids) {
			expect(await belongs(id)).toMatchObject({ how: 'brought' });
			const [last] = await readHistory(db(), t.workspace, 'customer', id);
			expect([tried, beside]).toContain(last.release);
			expect(
				(await one({ id, sent: [['headcount', '58']] }, 'api', t.admin)).values.size_class
			).toBe('small');
		}
	});
	it('put in force for all', async () => {
		expect(await end('take')).toEqual({ release: tried });
		expect(await releaseInForce(db(), t.workspace)).toBe(tried);
		const any = await one({ sent: customer('Godwit Roses', '55') }, 'api', t.admin);
		expect([any.release, any.values.size_class]).toEqual([tried, 'small']);
		const deeds = [
			'started a pilot',
			'widened a pilot',
			'withdrew a pilot',
			'put a pilot in force for all'
		] as never[];
		const told = await readEntries(
			db(),
			t.workspace,
			{ deeds, find: '', from: null, to: null },
			{ most: 20 }
		);
		expect(new Set(told.map((e) => e.did)).size).toBe(4);
	});
});

describe('what cannot be a pilot', () => {
	it('says why', async () => {
		const at = (release: number, choice: PilotChoice) =>
			startPilot(t.admin, { step: 'start', release, choice, why: '' });
		await expect(at(tried, inCity('Goes'))).rejects.toThrow('in force for all records already');
		await expect(at(999, inCity('Goes'))).rejects.toThrow('There is no release 999');
		const odd = {
			chosen: [{ type: 'customer', condition: { text: 'Headcount >' } }],
			brought: null
		};
		await expect(at(beside, odd)).rejects.toThrow('The condition for Customers');
		const doc = rulesOf((await readRelease(db(), t.workspace, tried))!);
		const turned = {
			...doc.rules[0],
			id: 'turned',
			name: 'Turned',
			kind: 'derive' as const,
			type: 'customer',
			guard: null,
			watch: null,
			outputs: [{ id: 'o1', field: 'headcount', hold: 'follow' as const, none: 'next' as const }],
			body: {
				kind: 'formula' as const,
				formulas: [formula('customer', 'if Size class = "Small" then 1 else null')]
			}
		};
		const rules = [...doc.rules.filter((r) => r.id !== 'size_class'), turned as never];
		const circle = await createRelease(
			db(),
			t.workspace,
			{ ...doc, rules },
			demoModel,
			'Turned round',
			null,
			null,
			false
		);
		await expect(at(circle, inCity('Goes'))).rejects.toThrow(
			'Customer: Headcount → Customer: Size class'
		);
		expect(() =>
			checkPilotStep({ step: 'start', release: 1, choice: { chosen: [], brought: null }, why: '' })
		).toThrow('name some records');
		expect(() => checkPilotStep({ step: 'fly' })).toThrow('step');
		expect(() => checkPilotStep({ step: 'start', release: 1, why: '' })).toThrow('choice');
	});
});
