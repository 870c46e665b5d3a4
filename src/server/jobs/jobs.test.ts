/** Jobs: cut into ranges and shared, paused and gone on with, stopped in the middle of what PostgreSQL does. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { comparedWith, rehearse } from '../../../tests/rehearse';
import { workAll, workBeside } from '../../../tests/worker';
import { editBetween } from '../../core';
import { hurry, pauseJob, readJob, resumeJob, stopJob } from '../db/jobs';
import { knownOverruled } from '../db/journal';
import { readModel } from '../db/model';
import { db, transaction } from '../db/pool';
import { listTrials, putInForce, readDraft, readRelease, rulesOf, withLiving } from '../db/rules';
import {
	behind,
	listRehearsals,
	newestOfDraft,
	readRehearsal,
	rehearsedReturns
} from '../db/rehearsals';
import { editDraft } from '../draft/edit';
import { begin, importOf, takeIn } from '../imports/imports';
import type { Settings } from '../imports/rows';
import { inForce } from '../records';
import { lookedThrough } from './analysis';
import { queueLine } from './line';
import { queueRehearsal } from './rehearsal';
import { workOn } from './work';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase({ customers: 2_500, contacts: 10, leads: 2_100, deals: 30 });
}, 120_000);
afterAll(() => t.drop());

const job = async (id: string) => (await readJob(db(), id))!;
const ranges = async (id: string) =>
	(
		await db().query<{ n: number; done: boolean }>(
			'select n, result is not null as done from job_range where job = $1 order by n',
			[id]
		)
	).rows;
async function importOfNames(name: string, n: number) {
	const lines = Array.from({ length: n }, (_, i) => `${name} ${i}`);
	const content = Buffer.from(`Trading name\n${lines.join('\n')}\n`);
	const id = await takeIn(t.admin, { type: 'customer', name: `${name}.csv`, content });
	const { settings } = (await importOf(t.workspace, id))!;
	return begin(t.admin, id, 'import', settings as Settings);
}
const named = async (name: string) =>
	(await db().query('select 1 from r_customer where f_trading_name like $1', [`${name} %`]))
		.rowCount;
async function until(what: () => Promise<boolean>) {
	for (let i = 0; i < 400; i++) {
		if (await what()) return;
		await new Promise((r) => setTimeout(r, 25));
	}
	throw new Error('It did not come to that.');
}

describe('a rehearsal in ranges', () => {
	it('comes to what one in a single range comes to, whoever does which range', async () => {
		const id = await queueRehearsal(t.admin);
		await workOn({ job: id });
		const cut = await ranges(id);
		expect(cut.length).toBeGreaterThan(3);
		// two have the same range, and the last two end at once
		await Promise.all([...cut, cut[0]].map((r) => workOn({ job: id, range: r.n })));
		expect(await job(id)).toMatchObject({ state: 'done' });
		expect((await job(id)).done).toBe((await job(id)).of);
		expect(await ranges(id)).toEqual([]);
		const { schema, plan } = await inForce(db(), t.workspace);
		const set = await withLiving(db(), t.workspace, (await readDraft(db(), t.workspace)).set);
		const compared = comparedWith(schema, plan, set, Date.now());
		const whole = await rehearse(db(), t.workspace, compared, 1e6);
		expect(whole.result.records).toBeGreaterThan(0);
		const kept = (await readRehearsal(db(), t.workspace, id))!;
		expect(kept.result).toMatchObject(JSON.parse(JSON.stringify(whole.result)));
		// behind each figure stand as many records, each once, whoever did which range
		for (const f of kept.result.fields) {
			const about = `value ${f.type}.${f.field}`;
			const rows = await behind(db(), id, { about }, null, 100_000);
			expect(rows).toHaveLength(f.count);
			expect(new Set(rows.map((r) => r.id)).size).toBe(f.count);
			const [{ from, to, count }] = f.moves;
			expect(await behind(db(), id, { about, from, to }, null, 100_000)).toHaveLength(count);
			// by size; of what is no number none is
			const sized = await behind(db(), id, { about, least: 2, most: 4 }, null, 100_000);
			const between = f.moves.filter((m) => Number(m.to) >= 2 && Number(m.to) < 4);
			expect(sized).toHaveLength(f.shift ? between.reduce((n, m) => n + m.count, 0) : 0);
		}
		await workAll();
	}, 60_000);

	it('does not wait for a look at all records that began before it', async () => {
		const look = (await queueLine(t.workspace, null))!;
		await workOn({ job: look });
		expect((await ranges(look)).length).toBeGreaterThan(2);
		const id = await queueRehearsal(t.admin);
		await workOn({ job: id });
		await workAll();
		const [asked, by] = [await job(id), await job(look)];
		expect([asked.state, by.state]).toEqual(['done', 'done']);
		// to the microsecond: both may end within what a job tells as one moment
		const { rows } = await db().query<{ id: string }>(
			'select id::text from job where id = any($1) order by ended_at',
			[[look, id]]
		);
		expect(rows.map((r) => r.id)).toEqual([id, look]);
	}, 60_000);

	it('that was broken off goes on with the ranges that are left', async () => {
		const id = await queueRehearsal(t.admin);
		await workOn({ job: id });
		await workOn({ job: id, range: 0 });
		// cut a second time it stays as it was
		await workOn({ job: id });
		expect((await ranges(id)).filter((r) => r.done)).toEqual([{ n: 0, done: true }]);
		expect((await job(id)).done).toBe(2_000);
		await workAll();
		expect(await job(id)).toMatchObject({ state: 'done' });
	}, 60_000);

	it('is of the draft as it was when it began', async () => {
		const id = await queueRehearsal(t.admin);
		await workOn({ job: id });
		const before = (await readDraft(db(), t.workspace)).set;
		const without = { ...before, rules: before.rules.slice(1) };
		await transaction((c) => editDraft(c, t.admin, editBetween('', before, without).pieces));
		await workAll();
		expect(await job(id)).toMatchObject({ state: 'done' });
		const again = await queueRehearsal(t.admin);
		await workAll();
		expect(await job(again)).toMatchObject({ state: 'done' });
		await transaction((c) => editDraft(c, t.admin, editBetween('', without, before).pieces));
	}, 60_000);

	it('is held against the release that it began with, and is old when another comes in force', async () => {
		const id = await queueRehearsal(t.admin);
		await workOn({ job: id });
		const { release } = await inForce(db(), t.workspace);
		const other = await db().query<{ number: number }>(
			`insert into release (workspace, number, created_by, note, doc, hash)
			 select workspace, number + 1, created_by, note, doc, hash from release where number = $1 returning number`,
			[release]
		);
		await transaction((c) => putInForce(c, t.workspace, other.rows[0].number, null));
		await workAll();
		expect(await job(id)).toMatchObject({ state: 'done' });
		expect(await newestOfDraft(db(), t.workspace, 'records')).toMatchObject({
			id,
			before: release
		});
		expect((await inForce(db(), t.workspace)).release).toBe(release + 1);
	}, 60_000);

	it('is of any version and of some records; rules that cannot be read are named', async () => {
		const before = (await readDraft(db(), t.workspace)).set;
		const broken = {
			...before,
			rules: before.rules.map((r) => (r.id === 'size_class' ? { ...r, guard: { text: '1 +' } } : r))
		};
		await transaction((c) => editDraft(c, t.admin, editBetween('', before, broken).pieces));
		const selection = { type: 'customer', condition: { text: 'Headcount >= 100' } };
		const id = await queueRehearsal(t.admin, { before: 1, selection });
		// another that is asked meanwhile is another job
		const other = await queueRehearsal(t.admin, { before: 3, after: 1 });
		expect(other).not.toBe(id);
		expect(await queueRehearsal(t.author, { before: 1, selection })).toBe(id);
		await workAll();
		const kept = (await readRehearsal(db(), t.workspace, id))!;
		expect(kept).toMatchObject({ before: 1, after: null, selection });
		expect(kept.result.faulty).toEqual({ before: [], after: ['Size class follows headcount'] });
		const { rows } = await db().query<{ n: number }>(
			'select count(*)::int as n from r_customer where f_headcount >= 100'
		);
		expect(kept.result.looked).toBe(rows[0].n);
		expect((await readRehearsal(db(), t.workspace, other))!).toMatchObject({
			before: 3,
			after: 1,
			draftHash: null
		});
		// neither is of the draft on all records
		expect([id, other]).not.toContain((await newestOfDraft(db(), t.workspace, 'records'))!.id);
		await transaction((c) => editDraft(c, t.admin, editBetween('', broken, before).pieces));
		await expect(queueRehearsal(t.admin, { after: 77 })).rejects.toThrow('There is no release 77.');
	}, 60_000);

	it('holds a version from a file against any other, on either side; the draft is not rehearsed by it', async () => {
		const own = await newestOfDraft(db(), t.workspace, 'records');
		const set = rulesOf((await readRelease(db(), t.workspace, 3))!);
		const less = {
			...set,
			rules: set.rules.map((r) =>
				r.id === 'size_class' && r.body.kind === 'bands'
					? {
							...r,
							body: {
								...r.body,
								limits: r.body.limits.map((l) => (l.at === '50' ? { ...l, at: '60' } : l))
							}
						}
					: r
			)
		};
		const file = { name: 'less.json', set: less };
		const id = await queueRehearsal(t.admin, { before: 3, file: { ...file, as: 'after' } });
		// the same file again is the same job, another file another one
		expect(await queueRehearsal(t.author, { before: 3, file: { ...file, as: 'after' } })).toBe(id);
		const back = await queueRehearsal(t.admin, {
			after: 3,
			file: { ...file, as: 'before' }
		});
		const same = await queueRehearsal(t.admin, {
			before: 3,
			file: { name: 'same.json', set, as: 'after' }
		});
		const draft = await queueRehearsal(t.admin, { after: null, file: { ...file, as: 'before' } });
		expect(new Set([id, back, same, draft]).size).toBe(4);
		expect((await job(id)).title).toBe('“less.json” against release 3 on the existing records');
		await workAll();
		const read = async (x: string) => (await readRehearsal(db(), t.workspace, x))!;
		const there = await read(id);
		expect(there).toMatchObject({
			before: 3,
			after: -1,
			draftHash: null,
			file: { name: 'less.json', as: 'after' }
		});
		// the other way round everything moves back
		const moves = (r: typeof there, turn: boolean) =>
			r.result.fields.map((f) => [
				f.field,
				f.count,
				f.moves.map((m) => (turn ? [m.to, m.from, m.count] : [m.from, m.to, m.count])).sort()
			]);
		expect(there.result.records).toBeGreaterThan(0);
		expect(moves(there, false)).toEqual(moves(await read(back), true));
		// and it comes to what that release comes to where it was stored
		const stored = await queueRehearsal(t.admin, { before: 3, after: 0 });
		const none = { name: 'none.json', set: { rules: [], order: {} }, as: 'after' as const };
		const asNone = await queueRehearsal(t.admin, { before: 3, file: none });
		await workAll();
		expect((await read(asNone)).result).toEqual((await read(stored)).result);
		expect((await read(same)).result).toMatchObject({ records: 0, fields: [] });
		// what the gate goes by is another
		expect(await newestOfDraft(db(), t.workspace, 'records')).toEqual(own);
		expect([...(await rehearsedReturns(db(), t.workspace, 3)).keys()]).not.toContain(-1);
	}, 120_000);

	it('keeps the newest eight, and forgets the records behind the others', async () => {
		for (let i = 0; i < 9; i++) {
			await queueRehearsal(t.admin, { before: 3, after: 2 });
			await workAll();
		}
		expect(await listRehearsals(db(), t.workspace)).toHaveLength(8);
		const { rows } = await db().query<{ n: number }>(
			'select count(distinct rehearsal)::int as n from rehearsed'
		);
		expect(rows[0].n).toBeLessThanOrEqual(8);
	}, 60_000);

	it('fails by name when the model changes meanwhile', async () => {
		const id = await queueRehearsal(t.admin);
		await workOn({ job: id });
		const moveTo = (zone: string) =>
			db().query(
				'update workspace set zone = $2, model_revision = model_revision + 1 where id = $1',
				[t.workspace, zone]
			);
		const { zone } = (await readModel(db(), t.workspace)).model;
		await moveTo('Europe/Lisbon');
		await workAll();
		expect(await job(id)).toMatchObject({
			state: 'failed',
			message: 'The model changed while it ran. Rehearse again.'
		});
		expect(await ranges(id)).toEqual([]);
		await moveTo(zone);
	}, 60_000);
});

describe('a job that pauses', () => {
	it('does so at its next piece, does nothing meanwhile, and goes on where it was', async () => {
		const id = await importOfNames('Paused', 700);
		await workOn({ job: id });
		expect(await pauseJob(db(), t.workspace, id)).toMatchObject({ pausing: true });
		await workAll();
		expect(await job(id)).toMatchObject({ state: 'paused', done: 200 });
		await workAll();
		expect(await named('Paused')).toBe(200);
		expect(await resumeJob(db(), t.workspace, id)).toMatchObject({
			state: 'waiting',
			pausing: false
		});
		// it does not pause any more
		expect(await resumeJob(db(), t.workspace, id)).toBeNull();
		await workAll();
		expect(await job(id)).toMatchObject({ state: 'done', done: 700 });
		expect(await named('Paused')).toBe(700);
	}, 60_000);

	it('goes on with its ranges', async () => {
		const id = await queueRehearsal(t.admin);
		await workOn({ job: id });
		await workOn({ job: id, range: 1 });
		await pauseJob(db(), t.workspace, id);
		await workAll();
		expect(await job(id)).toMatchObject({ state: 'paused' });
		// one that is asked for meanwhile is this one
		expect(await queueRehearsal(t.admin)).toBe(id);
		await resumeJob(db(), t.workspace, id);
		await workAll();
		expect(await job(id)).toMatchObject({ state: 'done' });
	}, 60_000);

	it('can be gone on with after it was stopped or failed, where rows stand each for itself', async () => {
		const id = await importOfNames('Rest', 500);
		await workOn({ job: id });
		await stopJob(db(), t.workspace, id);
		await workAll();
		expect(await job(id)).toMatchObject({ state: 'cancelled', done: 200 });
		expect(await resumeJob(db(), t.workspace, id)).toMatchObject({ state: 'waiting', ended: null });
		await workAll();
		expect(await job(id)).toMatchObject({ state: 'done', done: 500 });
		expect(await named('Rest')).toBe(500);
		// what is done is done
		expect(await resumeJob(db(), t.workspace, id)).toBeNull();
		// of a rehearsal nothing is left to go on with
		const other = await queueRehearsal(t.admin);
		await stopJob(db(), t.workspace, other);
		expect(await resumeJob(db(), t.workspace, other)).toBeNull();
	}, 60_000);

	it('a piece that failed is tried again soon, however often it failed', async () => {
		const id = await importOfNames('Hurried', 3);
		await db().query(
			"update graphile_worker._private_jobs set attempts = 8, run_at = now() + interval '1 hour' where key = $1",
			[id]
		);
		await hurry(db());
		const [{ s }] = (
			await db().query<{ s: number }>(
				'select extract(epoch from run_at - now())::float8 as s from graphile_worker.jobs where key = $1',
				[id]
			)
		).rows;
		expect(s).toBeGreaterThan(5);
		expect(s).toBeLessThanOrEqual(15);
		await stopJob(db(), t.workspace, id);
	});

	it('can be stopped, which ends it at once', async () => {
		const id = await importOfNames('Then stopped', 300);
		await pauseJob(db(), t.workspace, id);
		expect(await job(id)).toMatchObject({ state: 'paused' });
		expect(await stopJob(db(), t.workspace, id)).toMatchObject({ state: 'cancelled' });
		await workAll();
		expect(await named('Then stopped')).toBe(0);
	});
});

describe('a job that is stopped', () => {
	it('ends in the middle of what PostgreSQL does for it, and nothing of the piece is stored', async () => {
		const worker = await workBeside();
		const blocker = await db().connect();
		try {
			await blocker.query('begin');
			// every new customer waits for this lock, longer than anybody would
			await blocker.query('lock table r_customer in exclusive mode');
			const id = await importOfNames('Cancelled', 50);
			const waits = async () =>
				(
					await blocker.query(
						"select 1 from pg_stat_activity where wait_event_type = 'Lock' and datname = current_database()"
					)
				).rowCount === 1;
			await until(waits);
			const from = Date.now();
			await stopJob(db(), t.workspace, id);
			await until(async () => (await job(id)).ended !== null);
			// long before the lock would have been given up
			expect(Date.now() - from).toBeLessThan(5_000);
			expect(await job(id)).toMatchObject({ state: 'cancelled' });
			await blocker.query('rollback');
			expect(await named('Cancelled')).toBe(0);
		} finally {
			blocker.release();
			await worker.stop();
		}
	}, 60_000);
});

describe('the analysis of a draft', () => {
	const draft = async () => ({
		model: (await readModel(db(), t.workspace)).model,
		set: (await readDraft(db(), t.workspace)).set,
		trials: await listTrials(db(), t.workspace),
		overruled: await knownOverruled(db(), t.workspace)
	});
	const jobs = async () => (await db().query("select 1 from job where kind = 'analysis'")).rowCount;

	it('is one job for two who ask at once, and none for who asks later', async () => {
		const worker = await workBeside();
		const what = await draft();
		const [a, b] = await Promise.all([lookedThrough(t.admin, what), lookedThrough(t.author, what)]);
		expect(a).toEqual(b);
		expect(a.checked.findings.length).toBeGreaterThan(0);
		expect(await jobs()).toBe(1);
		expect(await lookedThrough(t.admin, await draft())).toEqual(a);
		expect(await jobs()).toBe(1);
		// what was found out before this server began may be of an earlier version
		await db().query("update analysis set at = now() - interval '23 hours'");
		expect(await lookedThrough(t.admin, await draft())).toEqual(a);
		expect(await jobs()).toBe(2);
		await worker.stop();
	}, 60_000);

	it('that is stopped releases nothing and says so', async () => {
		const what = { ...(await draft()), trials: [] };
		const asked = lookedThrough(t.admin, what);
		const waiting = async () =>
			(
				await db().query<{ id: string }>(
					"select id::text from job where kind = 'analysis' and ended_at is null"
				)
			).rows[0]?.id;
		await until(async () => (await waiting()) !== undefined);
		await stopJob(db(), t.workspace, (await waiting())!);
		await expect(asked).rejects.toThrow('was stopped. Nothing was done');
	});
});
