/**
 * What a bulk change would do, record by record, each after those before it: read without locks, nothing stored,
 * nothing sent. It speaks of the records as they are while it runs.
 */
import type { JsonValue, Schema } from '../../core';
import { findingFields, refKey, toJson } from '../../core';
import { BadInput } from '../../door';
import { MOST_BULK } from '../../door/bulk';
import {
	clearBulk,
	deletedByJob,
	keepLanes,
	keepLooks,
	leftByJob,
	madeByJob,
	readBulk,
	tallyBulk,
	type Bulk,
	type BulkOutcome,
	type BulkRow,
	type LeftByJob
} from '../db/bulk';
import type { Cursor } from '../db/lists';
import { lastPastField } from '../db/model';
import { noteEnded, noteProgress } from '../db/jobs';
import type { DeletedRecord } from '../db/deleted';
import { db, transaction } from '../db/pool';
import { readRecords, type StoredRecord } from '../db/records';
import type { JobRun } from '../jobs/run';
import { countOf, stretchOf } from '../lists/list';
import { RefusedChange, Series, type SaveOutcome } from '../records';
import { asHeldNow } from '../records/former';
import { readyBulk, tooMany, whoseJob, type ReadyBulk } from './asked';
import { beginIn } from './bulk';
import { Lanes, UNKNOWN, type Footprint } from './lanes';
import { outcomeOf, refused, restoredAs, unsent } from './outcome';
import { removalsOf } from './removal';
import type { ToSend } from './to-send';

const TOGETHER = 200;

type Looked = BulkRow & {
	look: BulkOutcome;
	/** Known of those that were settled. */
	footprint?: Footprint;
};

/** Looks at the records from the first; one that was broken off begins anew, since nothing of it counts. */
export async function bulkLook({ job, progress }: JobRun): Promise<void> {
	const bulk = (await readBulk(db(), job.input.bulk))!;
	const who = await whoseJob(job, bulk);
	// read before the model: a field that becomes another kind in between is one more, and none is missed
	const pastFields = await lastPastField(db(), bulk.workspace);
	const ready = await readyBulk(bulk, who);
	await clearBulk(db(), bulk.id, { release: ready.force.release, pastFields });
	const series = new Series(db(), ready.sender, ready.force, new Map(), null);
	const lanes = new Lanes(findingFields(ready.force.plan));
	let done = 0;
	const keep = async (rows: Looked[], of: number | null) => {
		await keepLooks(
			db(),
			bulk.id,
			rows.map(({ footprint = UNKNOWN, ...r }) => {
				if (r.look.is === 'changed') lanes.add(r, footprint);
				return r;
			})
		);
		done += rows.length;
		if (done > MOST_BULK) throw tooMany();
		await progress(done, of);
	};
	if (ready.list) await lookAtList(ready, series, keep);
	else await lookBack(bulk, ready, series, keep);
	await noteProgress(db(), job.id, { done, of: done });
	await transaction(async (c) => {
		const cut = lanes.cut();
		if (cut) await keepLanes(c, bulk.id, cut);
		const result = await tallyBulk(c, bulk.id, 'look');
		await noteEnded(c, job.id, { state: 'done', result });
		// what an edit of a table concerns was looked at with the edit
		if (bulk.edit !== null && result.is.changed) await beginIn(c, who, bulk.id);
	});
}

type Keep = (rows: Looked[], of: number | null) => Promise<void>;

async function lookAtList(ready: ReadyBulk, series: Series, keep: Keep) {
	const { list, first, force, sender, sendTo } = ready;
	const counted = await countOf(db(), list!);
	const known = counted && (!counted.more || counted.n >= first);
	const of = known ? Math.min(counted.n, first) : null;
	let n = 0;
	let from: Cursor | null = null;
	for (;;) {
		const { rows, next }: Awaited<ReturnType<typeof stretchOf>> = await stretchOf(db(), list!, {
			from,
			back: false,
			size: Math.min(TOGETHER, first - n)
		});
		const records = rows.map((r) => r.record);
		const sends = await sendTo(records);
		const looked = records.map((r, i) => rowOf(force.schema, r, sends[i], n + i + 1));
		await keep(await lookedAt(series, looked, sends, !!sender.onRequest), of);
		n += rows.length;
		if (!next || n >= first) return;
		from = next;
	}
}

const titleOf = (schema: Schema, r: StoredRecord): string => {
	const { type, at } = schema.type(r.type);
	return String(toJson(r.values[at.get(type.title)!]) ?? `No. ${r.id}`).slice(0, 200);
};

/** A record with what is sent to it. */
export const rowOf = (
	schema: Schema,
	r: StoredRecord,
	{ sent, keep, had = null }: ToSend,
	n: number
): BulkRow => ({
	n,
	type: r.type,
	record: r.id,
	title: titleOf(schema, r),
	version: r.version,
	sent,
	keep,
	had,
	removes: false,
	restores: false
});

/** Rows with what each would come to, after those before it. */
export async function lookedAt(
	series: Series,
	rows: readonly BulkRow[],
	sends: readonly ToSend[],
	onRequest: boolean
): Promise<Looked[]> {
	const known = sends.map((s) => unsent(s, onRequest));
	const open = rows.filter((_, i) => !known[i]);
	const outcomes = open.length ? await series.look(open.map((r) => [submissionOf(r)])) : [];
	let k = 0;
	return rows.map((r, i) => {
		if (known[i]) return { ...r, look: known[i] };
		const o = outcomes[k++];
		const look = outcomeOf(o, sends[i].byHand, sends[i].event);
		return {
			...r,
			// what is taken back of Locked values is settled: nobody asked for what is set aside
			look: r.had ? { ...look, setAside: [] } : look,
			footprint: footprintOf(o)
		};
	});
}

function footprintOf(o: SaveOutcome[] | RefusedChange): Footprint {
	if (o instanceof RefusedChange) return UNKNOWN;
	const [{ type, changes, reached, touched = [], pending }] = o;
	const wrote = [
		...changes.map((c) => refKey(type, c.field)),
		...reached.flatMap((r) => r.fields.map((f) => refKey(r.type, f)))
	];
	return { touched, wrote, open: pending > 0 };
}

/** What is sent to a record. */
export const submissionOf = (r: BulkRow) => ({
	type: r.type,
	id: r.record,
	sent: r.sent,
	keep: r.keep,
	...(r.restores ? { restores: r.version } : {})
});

/**
 * What taking a bulk change or an import back would do: for each record that it changed, what is still as it left
 * it; of those that it made, which can be deleted; and those that it deleted, made again.
 */
async function lookBack(bulk: Bulk, ready: ReadyBulk, series: Series, keep: Keep) {
	const { schema } = ready.force;
	const job = bulk.undoesJob;
	if (!job) throw new BadInput('What was done is not kept any more: it cannot be taken back.');
	let n = 0;
	/** What no longer links by then. */
	const cut = new Set<string>();
	for (let after: LeftByJob | null = null; ;) {
		const left: LeftByJob[] = await leftByJob(db(), bulk.workspace, job, after, TOGETHER);
		const rows: Looked[] = [];
		for (const type of new Set(left.map((l) => l.type))) {
			const own = left.filter((l) => l.type === type);
			rows.push(...(await lookBackAt(bulk.workspace, schema, series, type, own, n)));
			n += own.length;
		}
		if (rows.length) await keep(rows, null);
		for (const r of rows)
			if (r.look.is === 'changed')
				for (const [field] of r.sent) cut.add(`${refKey(r.type, r.record)}.${field}`);
		if (left.length < TOGETHER) break;
		after = left.at(-1)!;
	}
	for (let before: { type: string; record: string } | null = null; ;) {
		const made: { type: string; record: string }[] = await madeByJob(
			db(),
			bulk.workspace,
			job,
			before,
			TOGETHER
		);
		const rows: Looked[] = [];
		for (const type of new Set(made.map((m) => m.type))) {
			const own = made.filter((m) => m.type === type).map((m) => m.record);
			rows.push(...(await lookToRemove(bulk, schema, type, own, n + rows.length, cut)));
		}
		if (rows.length) await keep(rows, null);
		n += rows.length;
		if (made.length < TOGETHER) break;
		before = made.at(-1)!;
	}
	for (let after: DeletedRecord | null = null; ;) {
		const gone: DeletedRecord[] = await deletedByJob(db(), bulk.workspace, job, after, TOGETHER);
		const held = await asHeldNow(db(), bulk.workspace, schema, gone);
		const rows = held.map((g, i) => restoredRow(schema, g, n + i + 1));
		const looked = await lookedToRestore(series, rows);
		looked.forEach((l, i) => l.look.advice.push(...leftBlank(schema, held[i])));
		if (rows.length) await keep(looked, null);
		n += rows.length;
		if (gone.length < TOGETHER) return;
		after = gone.at(-1)!;
	}
}

/** What is said of a record that is made again where fields of it cannot hold what they held. */
export const leftBlank = (schema: Schema, r: { type: string; lost: readonly string[] }): string[] =>
	r.lost.map((id) => {
		const label = schema.field(r.type, id)?.label ?? id;
		return `${label} is another kind of field now and cannot hold what it held: it stays blank.`;
	});

/** A record that was deleted, with all that it held, of fields that are still there. @param was as these hold it now */
export function restoredRow(
	schema: Schema,
	{ type, record, was, had, version }: DeletedRecord,
	n: number
) {
	const of = schema.types.get(type)?.type;
	const fields = (of?.fields ?? []).filter((f) => (was[f.id] ?? null) !== null);
	const title = was[of?.title ?? ''];
	return {
		n,
		type,
		record,
		title: String(typeof title === 'string' ? title : `No. ${record}`).slice(0, 200),
		// deleting it was one more
		version: version + 1,
		sent: fields.map((f): [string, JsonValue] => [f.id, was[f.id]]),
		keep: fields.map((f) => f.id),
		had: Object.fromEntries(fields.map((f) => [f.id, had[f.id] ?? null])),
		removes: false,
		restores: true
	};
}

/** Records that are to be made again, with what each would come to after those before it. */
export async function lookedToRestore(series: Series, rows: readonly BulkRow[]): Promise<Looked[]> {
	const outcomes = await series.look(rows.map((r) => [submissionOf(r)]));
	return rows.map((r, i) => ({ ...r, look: restoredAs(outcomes[i]) }));
}

/** A record that is not there. */
const missing = (type: string, record: string, n: number, message: string): Looked => ({
	n,
	type,
	record,
	title: `No. ${record}`,
	version: 0,
	sent: [],
	keep: [],
	had: null,
	removes: false,
	restores: false,
	look: refused([{ field: null, message }])
});

/** Records that are to be deleted, in this order; those that are gone already are left out. */
async function lookToRemove(
	bulk: Bulk,
	schema: Schema,
	type: string,
	ids: readonly string[],
	n: number,
	cut: Set<string>
): Promise<Looked[]> {
	const there = schema.types.has(type)
		? await readRecords(db(), schema, bulk.workspace, type, ids)
		: [];
	const byId = new Map(there.map((r) => [r.id, r]));
	const out: Looked[] = [];
	// each after those before it: what only those link to can be deleted when they are gone
	const looks = await removalsOf(db(), bulk, schema, type, [...byId.keys()], cut);
	for (const id of ids) {
		const r = byId.get(id);
		if (!r) continue;
		let look = looks.get(id)!;
		if (look.is === 'refused')
			look = (await removalsOf(db(), bulk, schema, type, [id], cut)).get(id)!;
		if (look.is === 'changed') cut.add(refKey(type, id));
		const row = rowOf(schema, r, NOTHING_SENT, n + out.length + 1);
		out.push({ ...row, removes: true, look });
	}
	return out;
}

const NOTHING_SENT: ToSend = { sent: [], keep: [], byHand: false, spared: false, fault: null };

async function lookBackAt(
	workspace: string,
	schema: Schema,
	series: Series,
	type: string,
	left: readonly LeftByJob[],
	n: number
): Promise<Looked[]> {
	const ids = left.map((l) => l.record);
	const there = schema.types.has(type) ? await readRecords(db(), schema, workspace, type, ids) : [];
	const byId = new Map(there.map((r) => [r.id, r]));
	const rows: BulkRow[] = [];
	const gone: Looked[] = [];
	left.forEach((l, i) => {
		const r = byId.get(l.record);
		if (!r) gone.push(missing(type, l.record, n + i + 1, 'It is not there any more.'));
		else rows.push(backRow(schema, r, l, n + i + 1));
	});
	const sends = rows.map((r): ToSend => ({ ...r, byHand: false, spared: false, fault: null }));
	return [...gone, ...(await lookedAt(series, rows, sends, false))].sort((a, b) => a.n - b.n);
}

/** What is still as the job left it goes back to what it was, and to whoever had set it. */
export function backRow(schema: Schema, r: StoredRecord, l: LeftByJob, n: number): BulkRow {
	const { at } = schema.type(r.type);
	const back = Object.entries(l.fields).filter(([field, { was, now }]) => {
		const i = at.get(field);
		if (i === undefined || JSON.stringify(was) === JSON.stringify(now)) return false;
		return JSON.stringify(toJson(r.values[i])) === JSON.stringify(now);
	});
	return {
		n,
		type: r.type,
		record: r.id,
		title: titleOf(schema, r),
		version: r.version,
		sent: back.map(([field, { was }]) => [field, was]),
		keep: back.map(([field]) => field),
		had: Object.fromEntries(back.map(([field, { had }]) => [field, had])),
		removes: false,
		restores: false
	};
}
