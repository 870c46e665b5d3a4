/** Replay of what was really saved: records taken back through history, and changes made again. Rules and data of the demo. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seeded } from '../../../demo/generate';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { changeModel } from '../../../tests/model';
import { workAll } from '../../../tests/worker';
import { withNewField, withoutField, type EntryPoint, type JsonValue } from '../../core';
import { readJob, stopJob } from '../db/jobs';
import { rowsAt } from '../db/living';
import { db } from '../db/pool';
import { readRelease, rulesOf } from '../db/rules';
import { behind, newestOfDraft, readRehearsal, type KeptRehearsal } from '../db/rehearsals';
import { editRows } from '../living/living';
import { remove, save, RefusedChange } from '../records';
import { queueRehearsal } from './rehearsal';
import { workOn } from './work';

let t: Fresh;
const DAY = 86_400_000;
/** Noon of the first day. */
const FIRST = Date.UTC(2026, 8, 1, 10);
beforeAll(async () => {
	t = await freshDatabase({ customers: 60, contacts: 20, leads: 20, deals: 60 });
}, 120_000);
afterAll(() => t.drop());

const put = (
	day: number,
	type: string,
	id: string | null,
	sent: [string, JsonValue][],
	entryPoint: EntryPoint = 'full',
	account = t.author,
	keep: string[] | 'touched' = 'touched'
) => {
	const sender = {
		workspace: t.workspace,
		account,
		entryPoint,
		instant: Math.round(FIRST + day * DAY)
	};
	return save(sender, [{ type, id, sent, keep }]);
};
async function replayed(
	from: string,
	to: string,
	versions: { before?: number; after?: number | null } = {}
): Promise<KeptRehearsal> {
	const id = await queueRehearsal(t.admin, { ...versions, period: { from, to } });
	await workAll();
	expect(await readJob(db(), id)).toMatchObject({ state: 'done', message: null });
	return (await readRehearsal(db(), t.workspace, id))!;
}

/** Many changes of all kinds by all roads: made, changed, deleted, refused. */
async function work(seed: number, n: number, day: number) {
	const rnd = seeded(seed);
	const pick = <T>(xs: readonly T[]) => xs[Math.floor(rnd() * xs.length)];
	const some = (most: number) => String(1 + Math.floor(rnd() * most));
	const made: string[] = [];
	const counts = { saved: 0, refused: 0 };
	for (let i = 0; i < n; i++) {
		const road = pick<EntryPoint>(['full', 'short', 'import', 'api']);
		const keep =
			road === 'full' || road === 'short' ? 'touched' : rnd() < 0.3 ? ['stage', 'probability'] : [];
		const account = pick([t.admin, t.author]);
		try {
			const at = day + i / 100;
			switch (Math.floor(rnd() * 7)) {
				case 0:
					await put(at, 'customer', some(60), [['headcount', some(400)]], road, account);
					break;
				case 1:
					await put(
						at,
						'customer',
						some(60),
						[
							['key_grower', rnd() < 0.5],
							['service_plan', pick(['on_call', 'full_care'])]
						],
						road,
						account
					);
					break;
				case 2:
					await put(
						at,
						'deal',
						some(60),
						[
							['stage', pick(['enquiry', 'survey', 'quotation', 'won', 'lost'])],
							['amount', some(90_000)]
						],
						road,
						account,
						keep
					);
					break;
				case 3: {
					const [o] = await put(
						at,
						'deal',
						null,
						[
							['name', `Made ${i}`],
							['customer', some(60)],
							['amount', some(50_000)]
						],
						road,
						account
					);
					made.push(o.id);
					break;
				}
				case 5: {
					// rows of a table are edited between changes that look them up
					const rows = (await rowsAt(db(), t.workspace)).rows.district_postcodes;
					const one = pick(rows);
					const after = { ...one.cells, district: some(12) };
					const edits = [{ id: one.id, before: one.cells, after }];
					if (rnd() < 0.4) {
						await editRows(t.admin, 'district_postcodes', {
							edits,
							why: '',
							brings: false,
							look: null
						});
						continue;
					}
					const places: [string, string][] = [
						['poland', `${some(8)}1-001`],
						['denmark', `${some(8)}100`]
					];
					const [country, postal_code] = pick(places);
					const where: [string, JsonValue][] = [
						['country', country],
						['postal_code', postal_code]
					];
					await put(at, 'customer', some(60), where, road, account);
					break;
				}
				case 4: {
					const id = made.pop();
					if (!id) continue;
					await remove(
						{ workspace: t.workspace, account, entryPoint: road, instant: FIRST + at * DAY },
						{ type: 'deal', id }
					);
					break;
				}
				default:
					await put(at, 'deal', some(60), [['customer', some(60)]], road, account, keep);
			}
			counts.saved++;
		} catch (e) {
			if (!(e instanceof RefusedChange)) throw e;
			counts.refused++;
		}
	}
	return counts;
}

describe('a replay', () => {
	it('by the rules that were in force gives what was recorded, of every change', async () => {
		const { saved, refused } = await work(7, 260, 0);
		// one that changed nothing left no trace
		const { rowCount: traced } = await db().query('select 1 from change where at >= $1', [
			new Date(FIRST).toISOString()
		]);
		expect(saved).toBeGreaterThan(150);
		expect(refused).toBeGreaterThan(3);
		// what happened after the period is taken back and not made again
		await work(8, 60, 10);
		const { result } = await replayed('2026-09-01', '2026-09-04', { before: 3, after: 3 });
		expect(result.replay).toMatchObject({
			changes: traced,
			left: [],
			gaps: 0,
			otherwise: { changes: 0, fields: [] }
		});
		expect(result).toMatchObject({
			looked: traced,
			records: 0,
			fields: [],
			refused: [],
			sends: [],
			surprises: []
		});
		expect(result.replay!.roads.map((r) => r.entryPoint).sort()).toEqual([
			'api',
			'full',
			'import',
			'short'
		]);
		expect(result.replay!.people.map((p) => result.names[p.account!]).sort()).toEqual(
			[t.admin.name, t.author.name].sort()
		);
	}, 120_000);

	it('says what the draft would have done otherwise, in which change, and whose', async () => {
		const [{ id: customer }] = await put(19, 'customer', null, [
			['trading_name', 'Replayed'],
			['headcount', '300']
		]);
		const [{ id: deal }] = await put(19, 'deal', null, [
			['name', 'Replayed new build'],
			['customer', customer],
			['kind', 'new_build'],
			['amount', '1000']
		]);
		await put(20, 'customer', customer, [['headcount', '301']]);
		await put(21, 'customer', customer, [['headcount', '55']]);
		await put(22, 'customer', customer, [['headcount', '300']], 'api', t.admin, []);
		const kept = await replayed('2026-09-21', '2026-09-23');
		expect(kept).toMatchObject({
			before: 3,
			after: null,
			period: { from: '2026-09-21', to: '2026-09-23' }
		});
		const { result } = kept;
		const size = result.fields.find((f) => f.field === 'size_class')!;
		expect(size).toMatchObject({
			count: 1,
			moves: [{ from: 'medium', to: 'small', count: 1 }],
			overwritten: 0
		});
		expect(result).toMatchObject({ looked: 3, records: 1 });
		const sizes = await behind(db(), kept.id, { about: 'value customer.size_class' }, null, 10);
		expect(sizes).toMatchObject([
			{
				id: customer,
				doc: {
					stored: 'medium',
					from: 'medium',
					to: 'small',
					who: t.author.name,
					road: 'full',
					at: '2026-09-22T10:00:00.000Z'
				}
			}
		]);
		// what deals have of it follows through their link, though none of their rules was edited
		expect(result.surprises).toMatchObject([
			{ kind: 'follows', count: 1, field: 'discount_limit_percent', from: ['customer.size_class'] }
		]);
		const about = 'value deal.discount_limit_percent';
		expect(await behind(db(), kept.id, { about }, null, 10)).toMatchObject([
			{ id: deal, title: 'Replayed new build', doc: { who: t.author.name } }
		]);
		expect(result.replay!.days.map((d) => [d.day, d.of])).toEqual([
			['2026-09-21', 1],
			['2026-09-22', 1],
			['2026-09-23', 1]
		]);
		// the gate goes by the newest of the draft, and a rehearsal of records is another thing
		expect(await newestOfDraft(db(), t.workspace, 'changes')).toMatchObject({
			id: kept.id,
			of: 3,
			records: 1
		});
		expect(await newestOfDraft(db(), t.workspace, 'records')).toBeNull();
		await expect(
			behind(db(), kept.id, { about: 'value customer.size_class' }, sizes[0].row, 10)
		).resolves.toEqual([]);
	}, 120_000);

	it('tells what was refused and would have gone through, and what was not and would have been', async () => {
		const late: [string, JsonValue][] = [
			['close_date', '2020-01-01'],
			['stage', 'enquiry']
		];
		await expect(put(30, 'deal', '50', late)).rejects.toThrow(RefusedChange);
		const without = await replayed('2026-10-01', '2026-10-02', { before: 3, after: 0 });
		expect(without.result.replay).toMatchObject({ refusals: 1, changes: 0 });
		expect(without.result.replay!.admitted).toMatchObject([
			{ type: 'deal', field: 'close_date', count: 1, people: [{ account: t.author.id, count: 1 }] }
		]);
		const [{ claim }] = without.result.replay!.admitted;
		expect(without.result.surprises).toMatchObject([{ kind: 'admitted', claim, count: 1 }]);
		expect(await behind(db(), without.id, { about: `admitted ${claim}` }, null, 10)).toMatchObject([
			{ id: '50', doc: { who: t.author.name, road: 'full' } }
		]);
		const same = await replayed('2026-10-01', '2026-10-02', { before: 3, after: 3 });
		expect(same.result.replay).toMatchObject({ refusals: 1, admitted: [] });
	}, 120_000);

	it('begins with the first moment of its first day and ends before the day after its last, in the zone', async () => {
		// summer time ends between: 22:00 UTC before, 23:00 UTC after
		for (const at of [
			'2026-10-23T21:59:59.999Z',
			'2026-10-23T22:00:00.000Z',
			'2026-10-25T22:59:59.999Z',
			'2026-10-25T23:00:00.000Z'
		])
			await put((Date.parse(at) - FIRST) / DAY, 'customer', '44', [
				['headcount', String(Date.parse(at) % 89)]
			]);
		const { result } = await replayed('2026-10-24', '2026-10-25', { before: 3, after: 3 });
		expect(result.replay!.days).toEqual([
			{ day: '2026-10-24', count: 0, of: 1 },
			{ day: '2026-10-25', count: 0, of: 1 }
		]);
	}, 60_000);

	it('of days without a change says nothing, and of what is no period that it is none', async () => {
		const { result } = await replayed('2020-01-01', '2020-01-31');
		expect(result).toMatchObject({ looked: 0, records: 0, replay: { changes: 0, days: [] } });
		const ask = (from: string, to: string) => queueRehearsal(t.admin, { period: { from, to } });
		await expect(ask('2026-10-02', '2026-10-01')).rejects.toThrow(
			'2026-10-02 to 2026-10-01 is no period'
		);
		await expect(ask('2026-02-30', '2026-03-01')).rejects.toThrow('is no period');
	});

	it('says where history does not suffice', async () => {
		// what was sent is not kept of some, a field of another is gone from the model, a change is forgotten
		await put(40, 'customer', '42', [['headcount', '80']]);
		await put(41, 'customer', '42', [['headcount', '90']]);
		await put(42, 'customer', '42', [['headcount', '100']]);
		await put(43, 'customer', '43', [['headcount', '100']]);
		const days = (from: number, to: number) =>
			[from, to].map((d) => new Date(FIRST + d * DAY).toISOString().slice(0, 10));
		const change = (day: number) => new Date(FIRST + day * DAY).toISOString();
		await db().query('update change set submission = null where at = $1', [change(40)]);
		await db().query(
			`update change set submission = jsonb_set(submission, '{records,0,sent,0,0}', '"gone"') where at = $1`,
			[change(43)]
		);
		await db().query(
			'delete from record_change where change = (select id from change where at = $1)',
			[change(41)]
		);
		const [from, to] = days(40, 43);
		const { result } = await replayed(from, to, { before: 3, after: 3 });
		expect(result.replay).toMatchObject({
			changes: 4,
			left: [
				{ why: 'nothing sent', count: 1 },
				{ why: 'model', count: 1 }
			]
		});
		expect(result.replay!.gaps).toBeGreaterThan(0);
		expect(result.looked).toBe(2);
	}, 60_000);

	it('makes no edit of the model again: it only took values', async () => {
		const [was, customer] = ['was_there', '44'];
		await changeModel(t.author, (m) => {
			const [next, id] = withNewField(m, 'customer', {
				label: 'Was there',
				group: 'Size',
				type: 'text'
			});
			expect(id).toBe(was);
			return next;
		});
		await put(50, 'customer', customer, [[was, 'yes']]);
		await changeModel(t.author, (m) => withoutField(m, 'customer', was), 1);
		const at = new Date(FIRST + 50.1 * DAY).toISOString();
		const moved = await db().query(
			`update change set at = $1 where workspace = $2 and entry_point = 'model'`,
			[at, t.workspace]
		);
		expect(moved.rowCount).toBe(1);
		await put(50.2, 'customer', customer, [['headcount', '70']]);
		const { result } = await replayed(at.slice(0, 10), at.slice(0, 10), { before: 3, after: 3 });
		expect(result.replay).toMatchObject({ changes: 2, left: [{ why: 'model', count: 1 }] });
		expect(result.looked).toBe(1);
	}, 60_000);
});

describe('a version from a file', () => {
	it('is replayed as the release that it was taken out of', async () => {
		const period = { from: '2026-09-01', to: '2026-09-30' };
		const set = rulesOf((await readRelease(db(), t.workspace, 2))!);
		const [file, number] = [
			await queueRehearsal(t.admin, {
				before: 3,
				period,
				file: { name: 'two.json', set, as: 'after' }
			}),
			await queueRehearsal(t.admin, { before: 3, after: 2, period })
		];
		await workAll();
		const [a, b] = await Promise.all(
			[file, number].map((id) => readRehearsal(db(), t.workspace, id))
		);
		expect(a!.result).toEqual(b!.result);
		expect(a!.result.looked).toBeGreaterThan(100);
		expect(a).toMatchObject({ before: 3, after: -1, period, file: { name: 'two.json' } });
	}, 120_000);
});

describe('a replay that is broken off', () => {
	it('is begun anew and comes to the same; nothing of it was kept before', async () => {
		const id = await queueRehearsal(t.admin, {
			before: 3,
			after: 0,
			period: { from: '2026-09-01', to: '2026-09-30' }
		});
		// killed: what it does in the database ends with its connection
		const cut = workOn({ job: id });
		const killed = (async () => {
			// however slow the machine is
			for (let i = 0; i < 10_000; i++) {
				const r = await db().query(
					`select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and state = 'idle in transaction' and pid <> pg_backend_pid()`
				);
				if (r.rowCount) return true;
				await new Promise((r) => setTimeout(r, 2));
			}
			return false;
		})();
		const [end, was] = await Promise.allSettled([cut, killed]);
		expect(was).toMatchObject({ value: true });
		expect(end.status).toBe('rejected');
		expect(await readRehearsal(db(), t.workspace, id)).toBeNull();
		expect((await db().query('select 1 from rehearsed where rehearsal = $1', [id])).rowCount).toBe(
			0
		);
		await workOn({ job: id });
		const kept = (await readRehearsal(db(), t.workspace, id))!;
		const again = await replayed('2026-09-01', '2026-09-30', { before: 3, after: 0 });
		expect(again.result).toEqual(kept.result);
		expect(kept.result.records).toBeGreaterThan(100);
		// a piece that is given twice finds it done
		await workOn({ job: id });
		expect((await db().query('select 1 from rehearsal where id = $1', [id])).rowCount).toBe(1);
	}, 120_000);

	it('stops when it is asked to', async () => {
		const id = await queueRehearsal(t.admin, {
			before: 3,
			after: 0,
			period: { from: '2026-09-01', to: '2026-10-30' }
		});
		const work = workOn({ job: id });
		await stopJob(db(), t.workspace, id);
		await work;
		expect(await readJob(db(), id)).toMatchObject({ state: 'cancelled' });
		expect(await readRehearsal(db(), t.workspace, id)).toBeNull();
	}, 60_000);
});
