/** A piece of a bulk change: some records, each a change of its own, with their outcomes in the transaction of the changes. */
import type pg from 'pg';
import { BadInput } from '../../door';
import {
	keepBulkOutcomes,
	leftByJobOf,
	nextBulkRows,
	readBulk,
	restoreSetBy,
	tallyBulk,
	type Bulk,
	type BulkOutcome,
	type BulkRow
} from '../db/bulk';
import {
	askedOfJob,
	cutJob,
	isCut,
	keepRange,
	lockJob,
	noteEnded,
	noteFurther,
	openRange,
	queuePiece,
	type Job
} from '../db/jobs';
import { db, transaction, type Db } from '../db/pool';
import { readPastFields } from '../db/model';
import { readRecords, versionsOf } from '../db/records';
import type { JobRun } from '../jobs/run';
import { DoneElsewhere, savePiece } from '../jobs/save-piece';
import { keepFound, lineNow } from '../line/lined';
import { stretchOf } from '../lists/list';
import {
	RefusedChange,
	Series,
	inForce,
	remove,
	type InForce,
	type SaveOutcome,
	type Sender
} from '../records';
import { readyBulk, whoseJob, type ReadyBulk } from './asked';
import { backRow, lookedAt, lookedToRestore, rowOf, submissionOf } from './look';
import { decided, outcomeOf, refused, restoredAs } from './outcome';
import { removalsOf } from './removal';
import type { ToSend } from './to-send';

/** Records whose changes share a transaction: whoever saves one of them waits until it ends. */
const TOGETHER = 80;

type Row = BulkRow & { look: BulkOutcome };

/**
 * Changes the next records of a lane; without one it cuts the job into its lanes. A server that is killed in between has changed
 * all of them or none.
 */
export async function bulkPiece(run: JobRun): Promise<void> {
	const { job, range: lane } = run;
	const bulk = (await readBulk(db(), job.input.bulk))!;
	if (bulk.undoneBy)
		throw new BadInput('It was taken back: what is left of it is not done any more.');
	if (lane === null) return cutInLanes(bulk, job);
	if (!(await openRange(db(), job.id, lane))) return;
	const rows = await nextBulkRows(db(), bulk.id, lane, TOGETHER);
	if (!rows.length) return laneDone(bulk, job, lane);
	// a field that is gone is named as it was called; whether all are as they were is told for certain when it is saved
	await needsSameFields(db(), bulk, await inForce(db(), bulk.workspace));
	const ready = await readyBulk(bulk, await whoseJob(job, bulk), job.id);
	const { still: all, moved } = await lookedAgain(bulk, ready, rows);
	// records are deleted behind what is changed: nothing may link to them by then
	for (const r of all.filter((x) => x.removes)) await removeOne(bulk, ready, run, r);
	const still = all.filter((x) => !x.removes);
	const changes = still.map((r) => [
		r.restores ? submissionOf(r) : { ...submissionOf(r), version: r.version }
	]);
	const sender: Sender = {
		...ready.sender,
		force: async (client, of) => {
			const force = await (ready.sender.force ?? inForce)(client, of);
			await needsSameFields(client, bulk, force);
			return force;
		}
	};
	await savePiece(run, sender, ready.force, changes, async (client, outcomes) => {
		const told = still.flatMap((r, i): { n: number; outcome: BulkOutcome }[] => {
			const o = outcomes[i];
			// changed by somebody since it was looked at again a moment ago: the next piece looks once more
			if (o instanceof RefusedChange && o.status === 409) return [];
			return [
				{ n: r.n, outcome: r.restores ? restoredAs(o) : outcomeOf(o, r.look.byHand, r.look.event) }
			];
		});
		const all = [...told, ...moved];
		if ((await keepBulkOutcomes(client, bulk.id, all)) !== all.length) throw new DoneElsewhere();
		await giveBack(client, bulk, still, outcomes);
		if (!bulk.asked) await linedAgain(client, bulk.workspace, still);
		await noteFurther(client, job.id, all.length);
		await queuePiece(client, job.id, lane);
	});
}

/**
 * What is sent was read as the fields were when it was looked at.
 * @throws {BadInput} where one has become another kind since
 */
async function needsSameFields(
	db: Db,
	{ workspace, type, asked, pastFields }: Bulk,
	{ schema }: InForce
): Promise<void> {
	const past = await readPastFields(db, workspace);
	const since = past.find((p) => BigInt(p.id) > BigInt(pastFields) && (!asked || p.type === type));
	if (!since) return;
	const now = schema.types.has(since.type) && schema.field(since.type, since.field.id);
	throw new BadInput(
		`“${since.field.label}” ${now ? 'became another kind of field' : 'was removed'} since this was looked at. What is done is done; look at the rest anew.`
	);
}

async function cutInLanes({ lanes }: Bulk, job: Job): Promise<void> {
	await transaction(async (c) => {
		await lockJob(c, job.id);
		// whoever was killed after this was stored has cut it already
		if (await isCut(c, job.id)) return;
		await cutJob(
			c,
			job.id,
			Array.from({ length: lanes }, (_, n) => ({ n }))
		);
	});
}

/** Nothing is left of a lane; with the last of them the job is done. */
async function laneDone(bulk: Bulk, job: Job, lane: number): Promise<void> {
	await transaction(async (c) => {
		if (await keepRange(c, job.id, lane, {}, 0))
			await noteEnded(c, job.id, { state: 'done', result: await tallyBulk(c, bulk.id, 'outcome') });
	});
}

/** Deletes a record, with its outcome, in a transaction of their own. */
async function removeOne(
	bulk: Bulk,
	ready: ReadyBulk,
	{ job: { id: job }, range }: JobRun,
	r: Row
): Promise<void> {
	const keep = async (client: Db, outcome: BulkOutcome) => {
		// another worker has done it
		if (!(await keepBulkOutcomes(client, bulk.id, [{ n: r.n, outcome }])))
			throw new DoneElsewhere();
		await noteFurther(client, job, 1);
	};
	const around = {
		async before(client: pg.PoolClient) {
			await lockJob(client, job, range);
			if ((await askedOfJob(client, job)).stopping) throw new DoneElsewhere();
		},
		after: (client: pg.PoolClient) => keep(client, r.look)
	};
	try {
		await remove(
			{ ...ready.sender, around },
			{ type: r.type, id: r.record, version: r.version, unlinked: true }
		);
	} catch (e) {
		if (e instanceof DoneElsewhere) return;
		if (!(e instanceof RefusedChange)) throw e;
		// saved since it was looked at again a moment ago: the next piece looks once more
		if (e.current) return;
		const { faults } = e;
		await transaction((c) => keep(c, refused(faults))).catch((x: unknown) => {
			if (!(x instanceof DoneElsewhere)) throw x;
		});
	}
}

/** What was taken back is as it was: it may be out of line again. */
export async function linedAgain(
	client: pg.PoolClient,
	workspace: string,
	rows: readonly BulkRow[]
) {
	const force = await inForce(client, workspace);
	for (const type of new Set(rows.map((r) => r.type))) {
		const ids = rows.flatMap((r) => (r.type === type ? [r.record] : []));
		const found = await lineNow(client, workspace, force, type, ids);
		await keepFound(client, workspace, force, type, ids, found);
	}
}

/** Of what was taken back, who had set it is again who did. */
export async function giveBack(
	client: pg.PoolClient,
	bulk: Pick<Bulk, 'workspace' | 'asked'>,
	rows: readonly BulkRow[],
	outcomes: readonly (SaveOutcome[] | RefusedChange)[]
) {
	if (bulk.asked && bulk.asked.does.k !== 'history') return;
	// the last that ran on to a field of a record, among these
	const reachedBy = new Map<string, number>();
	outcomes.forEach((o, i) => {
		if (o instanceof RefusedChange) return;
		for (const { type, id, fields } of o[0].reached)
			for (const f of fields) reachedBy.set(`${type}.${id}.${f}`, i);
	});
	for (const type of new Set(rows.map((r) => r.type))) {
		const back = rows.flatMap((r, i) => {
			const o = outcomes[i];
			if (r.type !== type || o instanceof RefusedChange || !r.had) return [];
			// what a Locked rule gives instead is that rule's, whichever of these changes it came with
			const ruled = new Set(o[0].changes.filter((c) => c.rule !== null).map((c) => c.field));
			const had: NonNullable<BulkRow['had']> = {};
			for (const [f, value] of r.sent) {
				const stands = JSON.stringify(o[0].values[f] ?? null) === JSON.stringify(value);
				const after = reachedBy.get(`${type}.${r.record}.${f}`) ?? -1;
				if (f in r.had && stands && !ruled.has(f) && after <= i) had[f] = r.had[f];
			}
			return Object.keys(had).length ? [{ record: r.record, had }] : [];
		});
		if (back.length) await restoreSetBy(client, bulk.workspace, type, back);
	}
}

/**
 * Records that somebody changed since they were looked at: selected and looked at again. What comes out the same
 * is done, anything else is left, to be looked at by a person.
 */
async function lookedAgain(
	bulk: Bulk,
	ready: ReadyBulk,
	rows: readonly Row[]
): Promise<{ still: Row[]; moved: { n: number; outcome: BulkOutcome }[] }> {
	const { schema } = ready.force;
	const still: Row[] = [];
	const moved: { n: number; outcome: BulkOutcome }[] = [];
	const restored = rows.filter((r) => r.restores);
	const byRow = new Map((await restoredAgain(ready, restored)).map((r) => [r.n, r]));
	for (const r of restored) {
		const found = byRow.get(r.n)!;
		if (decided(found.look) === decided(r.look)) still.push(found);
		else if (found.look.is === 'refused') moved.push({ n: r.n, outcome: found.look });
		else moved.push({ n: r.n, outcome: { ...found.look, is: 'moved' } });
	}
	const there = rows.filter((r) => !r.restores);
	for (const of of new Set(there.map((r) => `${r.type} ${r.removes}`))) {
		const own = there.filter((r) => `${r.type} ${r.removes}` === of);
		const [{ type }] = own;
		const ids = own.map((r) => r.record);
		const known = schema.types.has(type);
		const versions = known
			? await versionsOf(db(), bulk.workspace, type, ids)
			: new Map<string, number>();
		// by another release everything may come out otherwise
		const touched = own.filter(
			(r) => ready.force.release !== bulk.release || versions.get(r.record) !== r.version
		);
		const moving = touched.map((r) => r.record);
		// most often none: what is as it was is read once, when it is locked
		const now = new Map(
			known && moving.length
				? (await readRecords(db(), schema, bulk.workspace, type, moving)).map((r) => [r.id, r])
				: []
		);
		const open = touched.filter((r) => now.has(r.record));
		const again = new Map(
			(
				await anew(
					bulk,
					ready,
					open.map((r) => now.get(r.record)!),
					open
				)
			).map((r) => [r.n, r])
		);
		for (const r of own) {
			if (!touched.includes(r)) {
				still.push(r);
				continue;
			}
			const found = again.get(r.n);
			if (!now.has(r.record))
				moved.push({
					n: r.n,
					outcome: refused([{ field: null, message: 'It is not there any more.' }])
				});
			else if (!found)
				moved.push({
					n: r.n,
					outcome: {
						...r.look,
						is: 'moved',
						changes: [],
						advice: ['It is not one of them any more.']
					}
				});
			else if (decided(found.look) === decided(r.look)) still.push(found);
			else moved.push({ n: r.n, outcome: { ...found.look, is: 'moved' } });
		}
	}
	still.sort((a, b) => a.n - b.n);
	return { still, moved };
}

/** Records that are to be made again: what links lead to, and what is in force, may be otherwise since. */
const restoredAgain = ({ force, sender }: ReadyBulk, rows: readonly Row[]) =>
	rows.length
		? lookedToRestore(new Series(db(), sender, force, new Map(), null), rows)
		: Promise.resolve([]);

/** Those of some records that are still selected, with what each would come to now. */
async function anew(
	bulk: Bulk,
	{ list, force, sender, sendTo }: ReadyBulk,
	records: Parameters<ReadyBulk['sendTo']>[0],
	rows: readonly Row[]
): Promise<Row[]> {
	if (!records.length) return [];
	const series = new Series(db(), sender, force, new Map(), null);
	if (rows[0].removes) {
		const { schema } = force;
		const ids = records.map((r) => r.id);
		const looks = await removalsOf(db(), bulk, schema, rows[0].type, ids);
		return records.map((r, i) => ({ ...rows[i], version: r.version, look: looks.get(r.id)! }));
	}
	if (!list) {
		const left = new Map(
			(
				await leftByJobOf(
					db(),
					bulk,
					rows[0].type,
					records.map((r) => r.id)
				)
			).map((l) => [l.record, l])
		);
		const back = records.map((r, i) => backRow(force.schema, r, left.get(r.id)!, rows[i].n));
		const sends = back.map((r): ToSend => ({ ...r, byHand: false, spared: false, fault: null }));
		return lookedAt(series, back, sends, false);
	}
	const only = { ...list, listed: { ...list.listed, only: records.map((r) => r.id) } };
	const { rows: found } = await stretchOf(db(), only, { from: null, back: false, size: TOGETHER });
	const selected = found.map((f) => f.record);
	const sends = await sendTo(selected);
	const n = new Map(rows.map((r) => [r.record, r.n]));
	const fresh = selected.map((r, i) => rowOf(force.schema, r, sends[i], n.get(r.id)!));
	return lookedAt(series, fresh, sends, !!sender.onRequest);
}
