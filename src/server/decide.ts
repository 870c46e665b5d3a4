/**
 * Saves and deletes records: the one way in for forms, import and API. Reads which release is in
 * force in the same transaction, settles the change on it and writes what came of it.
 */
import type pg from 'pg';
import type { JsonValue } from '../core/model/codec';
import { fromJson, misfit, toJson } from '../core/model/codec';
import { Schema, refKey } from '../core/model/model';
import type { EntryPoint } from '../core/model/rules';
import type { Plan } from '../core/plan/plan';
import { compilePlan } from '../core/plan/plan';
import type { Change, Settled, SettledRecord, SubmittedRecord } from '../core/settle/settle';
import { settle } from '../core/settle/settle';
import { valuesToJson } from '../core/trials/trials';
import type { Value } from '../core/value/value';
import { same } from '../core/value/value';
import { zones } from '../runtime/zones';
import { isByKey, linkByKey } from './by-key';
import { donePending, putOff, takePending } from './db/carried';
import { readModel } from './db/model';
import type { Db } from './db/pool';
import { transaction } from './db/pool';
import type { HistoryLine, QuietLine, StoredRecord, Writing } from './db/records';
import {
	deleteRecord,
	existing,
	markSettled,
	nextId,
	readRecords,
	relatedIds,
	writeHistory,
	writeRecords
} from './db/records';
import { readRelease, releaseInForce, rulesOf } from './db/rules';
import type { SaveOutcome } from './describe';
import { describe, titledFormat } from './describe';
import type { Before } from './near';
import { settleLoading } from './near';
import { putOut } from './outbox';

export type { SaveOutcome } from './describe';

/** The plan in force, and what it was compiled from. */
export interface InForce {
	plan: Plan;
	schema: Schema;
	release: number;
	modelRevision: number;
}

const cache = new Map<string, InForce>();

/** The plan in force now, by what this transaction sees. Compiled plans are kept. */
export async function inForce(db: Db, workspace: string): Promise<InForce> {
	const release = await releaseInForce(db, workspace);
	const { rows } = await db.query<{ r: number }>(
		'select model_revision as r from workspace where id = $1',
		[workspace]
	);
	const modelRevision = rows[0]?.r ?? 0;
	const key = `${workspace} ${release} ${modelRevision}`;
	const had = cache.get(key);
	if (had) return had;
	const { model } = await readModel(db, workspace);
	const doc = release ? await readRelease(db, workspace, release) : null;
	const schema = new Schema(model);
	const plan = compilePlan(schema, doc ?? { rules: [], order: {} });
	const made = { plan, schema, release, modelRevision };
	if (cache.size > 20) cache.clear();
	cache.set(key, made);
	return made;
}

/** One record as a sender submits it. */
export interface Submission {
	type: string;
	/** Null for a new record. */
	id: string | null;
	/** Fields sent, in the order touched, as JSON. */
	sent: [field: string, value: unknown][];
	keep: readonly string[] | 'touched';
	/** The version the sender saw; another one is a conflict. */
	version?: number;
	/** The release whose results the sender saw; one that decides otherwise is shown first. */
	release?: number;
}

/** A fault of a submission, at a field where it concerns one. */
export interface SubmissionFault {
	field: string | null;
	message: string;
}

/** What the release in force gives where the one the sender saw gave something else. */
export interface Otherwise {
	release: number;
	differences: { field: string; shown: JsonValue; now: JsonValue }[];
}

/** Thrown when a change is refused; nothing of it was saved. */
export class RefusedChange extends Error {
	constructor(
		readonly faults: SubmissionFault[],
		/** Zero-based place of the refused record among those submitted. */
		readonly index: number,
		readonly status: 400 | 404 | 409 | 422 = 400,
		/** On a conflict: the record as it is stored now. */
		readonly current?: { version: number; values: Record<string, JsonValue> },
		/** Where the release in force decides otherwise than the one the sender saw. */
		readonly otherwise?: Otherwise
	) {
		super(faults.map((f) => f.message).join(' '));
		this.name = 'RefusedChange';
	}
}

/** Who makes a change, by which road, when. */
export interface Sender {
	workspace: string;
	account: { id: string; name: string; person: string | null };
	entryPoint: EntryPoint;
	/** Milliseconds since 1970 UTC. */
	instant: number;
	/** Most records the change runs on to at once; the rest is put off. The usual number without it. */
	most?: number;
}

/** Most times a change is settled again because it ran on to records that were not locked yet. */
const MOST_ROUNDS = 8;

/** Thrown inside a transaction that must begin again with more records locked. */
class MoreLocks extends Error {}

/** Runs work in a transaction; begins again with more records locked until none was missing. */
async function locking<T>(
	work: (client: pg.PoolClient, locks: Map<string, Set<string>>) => Promise<T>
): Promise<T> {
	const locks = new Map<string, Set<string>>();
	for (let round = 1; ; round++) {
		try {
			return await transaction((client) => work(client, locks));
		} catch (e) {
			if (!(e instanceof MoreLocks)) throw e;
			if (round === MOST_ROUNDS)
				throw new RefusedChange(
					[{ field: null, message: 'Others keep changing the same records. Try again.' }],
					0,
					409
				);
		}
	}
}

/**
 * Saves submissions as one change: all or none, with every record it runs on to. All records it
 * touches or reads are locked in one order at the start of its transaction; which these are is known
 * after settling it once, so it begins again until nothing was missing. @throws {RefusedChange}
 */
export async function save(
	sender: Sender,
	submissions: readonly Submission[]
): Promise<SaveOutcome[]> {
	return locking(async (client, locks) => {
		const force = await inForce(client, sender.workspace);
		const { schema } = force;
		const stored = await lockStored(client, sender.workspace, schema, submissions, locks);
		const records: SubmittedRecord[] = [];
		for (const [i, s] of submissions.entries()) {
			const at = s.id === null ? null : stored.get(refKey(s.type, s.id))!;
			records.push(await submitted(client, sender.workspace, force, s, at, i));
		}
		const { change, settled, keep } = await settleLocked(client, sender, force, {
			records,
			stored,
			locks
		});
		refuseBlocked(settled.records);
		for (const [i, s] of submissions.entries())
			if (s.release !== undefined && s.release !== force.release)
				await refuseOtherwise(client, sender.workspace, force, s.release, change, settled, i);
		return keep();
	});
}

/** What a transaction settles, and what it has locked. */
interface Locked {
	records: readonly SubmittedRecord[];
	stored: ReadonlyMap<string, StoredRecord>;
	locks: Map<string, Set<string>>;
	/** What records were before the change that is carried on. */
	before?: readonly Before[];
}

/** Settles a change on locked records. `keep` writes it, with its history and messages. @throws {MoreLocks} */
async function settleLocked(client: Db, sender: Sender, force: InForce, locked: Locked) {
	const { schema, plan } = force;
	const { records, stored, locks, before } = locked;
	const change: Change = {
		records,
		entryPoint: sender.entryPoint,
		instant: sender.instant,
		person: sender.account.person
	};
	const children = new Set<string>();
	const settled = await settleLoading(
		client,
		sender.workspace,
		schema,
		(loader) => settle(plan, change, loader, { explain: true, zones, most: sender.most }),
		children,
		before
	);
	needLocks(settled, stored, children, locks);
	return { change, settled, keep: () => keepSettled(client, sender, force, settled, locked) };
}

/** Writes what was settled: records, history, messages and what is put off. */
async function keepSettled(
	client: Db,
	sender: Sender,
	force: InForce,
	settled: Settled,
	{ records, stored, before = [] }: Locked
): Promise<SaveOutcome[]> {
	const { schema, plan, release } = force;
	const { workspace, account, entryPoint } = sender;
	const at = new Date(sender.instant).toISOString();
	const by = entryPoint === 'import' || entryPoint === 'api' ? entryPoint : 'person';
	const format = await titledFormat(client, workspace, plan, settled);
	const lines: HistoryLine[] = [];
	const quiet: QuietLine[] = [];
	const writings: Writing[] = [];
	const outcomes: SaveOutcome[] = [];
	const untouched: SettledRecord[] = [];
	settled.records.forEach((rec, i) => {
		if (records[i]?.removed) {
			lines.push(deletion(schema, rec));
			return;
		}
		const silent = !rec.changes.length && !rec.failures.length && !rec.messages.length;
		if (rec.reached && silent && !rec.sends.length) return;
		const had = stored.get(refKey(rec.type, rec.id))?.setBy ?? {};
		const told = { name: account.name, by, at, release } as const;
		const d = describe(plan, told, rec, had, format);
		if (rec.created || rec.changes.length) writings.push({ rec, setBy: d.setBy });
		else if (!rec.reached) {
			d.outcome.version = stored.get(refKey(rec.type, rec.id))?.version ?? 1;
			untouched.push(rec);
		}
		lines.push(...d.history);
		quiet.push(...d.quiet);
		if (!rec.reached) outcomes.push(d.outcome);
		else if (rec.changes.length)
			outcomes[0]?.reached.push({
				type: rec.type,
				id: rec.id,
				fields: rec.changes.map((c) => c.field)
			});
	});
	const versions = await writeRecords(client, schema, workspace, writings, release, at);
	for (const o of outcomes) o.version = versions.get(refKey(o.type, o.id)) ?? o.version;
	for (const r of untouched) await markSettled(client, workspace, r.type, r.id, release);
	for (const [i, r] of records.entries())
		if (r.removed) await deleteRecord(client, workspace, r.type, settled.records[i].id);
	if (!lines.length && !settled.deferred.length) return outcomes;
	const head = { at, account: account.id, entryPoint, release };
	const number = await writeHistory(client, workspace, head, lines, quiet);
	const sent = await putOut(client, workspace, plan, number, settled.records, at);
	if (settled.deferred.length) {
		const was = settled.records
			.filter((r) => r.changes.length || r.created)
			.map((r) => ({ type: r.type, id: r.id, was: r.was }));
		await putOff(client, sender, number, schema, [...before, ...was], settled.deferred);
	}
	if (outcomes[0]) Object.assign(outcomes[0], { sent, pending: settled.deferred.length });
	return outcomes;
}

/** What history keeps of a deleted record: all that it held. */
function deletion(schema: Schema, rec: SettledRecord): HistoryLine {
	return {
		type: rec.type,
		record: rec.id,
		field: '',
		was: valuesToJson(schema, rec.type, rec.was),
		now: null,
		claim: null,
		ruleName: null,
		because: null,
		outcome: 'deleted'
	};
}

/** Most records whose link may become blank because what it points to is deleted. */
const MOST_BLANKED = 2_000;

/**
 * Deletes a record. One that others link to is kept, unless those links say that they become blank;
 * roll-ups follow. @throws {RefusedChange}
 */
export async function remove(
	sender: Sender,
	target: { type: string; id: string; version?: number }
): Promise<void> {
	const { workspace } = sender;
	await locking(async (client, locks) => {
		const force = await inForce(client, workspace);
		const { schema } = force;
		if (!schema.types.has(target.type))
			throw new RefusedChange(
				[{ field: null, message: `There is no record type “${target.type}”.` }],
				0,
				404
			);
		// nobody can link to it from here on: whoever tries waits for its key
		const stored = await lockStored(
			client,
			workspace,
			schema,
			[{ ...target, sent: [], keep: [] }],
			locks,
			target.type
		);
		const blanked = new Map<string, Submission>();
		for (const t of schema.model.types)
			for (const f of t.fields) {
				if (f.type !== 'link' || f.target !== target.type) continue;
				const ids = (await relatedIds(client, workspace, t.id, f.id, [target.id])).get(target.id);
				const others = ids?.filter((id) => t.id !== target.type || id !== target.id) ?? [];
				if (!others.length) continue;
				const many =
					others.length === 1
						? `A ${t.label.toLowerCase()}`
						: `${others.length} ${t.plural.toLowerCase()}`;
				if (f.whenDeleted !== 'blank' || others.length > MOST_BLANKED)
					throw new RefusedChange(
						[
							{
								field: null,
								message: `${many} ${others.length === 1 ? 'links' : 'link'} to it by ${f.label}, so it is kept. Link ${others.length === 1 ? 'it' : 'them'} elsewhere first.`
							}
						],
						0,
						409
					);
				for (const id of others) {
					const had = blanked.get(refKey(t.id, id)) ?? { type: t.id, id, sent: [], keep: [] };
					blanked.set(refKey(t.id, id), {
						...had,
						sent: [...had.sent, [f.id, null]],
						keep: [...had.keep, f.id]
					});
				}
			}
		const rest = [...blanked.values()];
		lockMore(
			rest.map((x) => ({ type: x.type, id: x.id! })),
			stored,
			locks
		);
		const gone = stored.get(refKey(target.type, target.id))!;
		const records: SubmittedRecord[] = [
			{
				type: gone.type,
				id: gone.id,
				created: false,
				was: gone.values,
				sent: new Map(),
				keep: new Set(),
				inLine: true,
				removed: true
			}
		];
		for (const [i, s] of rest.entries())
			records.push(
				await submitted(client, workspace, force, s, stored.get(refKey(s.type, s.id!))!, i + 1)
			);
		const { settled, keep } = await settleLocked(client, sender, force, { records, stored, locks });
		refuseBlocked(settled.records);
		await keep();
	});
}

/**
 * Settles one piece of what a change was put off at, in a transaction of its own.
 * @returns how many records were done; 0 when somebody else has them
 */
export async function carryOnPiece(piece: {
	sender: Sender;
	carried: string;
	before: readonly Before[];
	records: readonly { type: string; id: string }[];
}): Promise<number> {
	const { sender, carried } = piece;
	return locking(async (client, locks) => {
		const pending = await takePending(client, carried, piece.records);
		if (!pending.length) return 0;
		const force = await inForce(client, sender.workspace);
		const all = new Map([...locks].map(([type, ids]) => [type, new Set(ids)]));
		for (const { type, id } of pending) all.set(type, (all.get(type) ?? new Set()).add(id));
		const stored = await lockStored(client, sender.workspace, force.schema, [], all);
		const records = pending.flatMap(({ type, id, touched }): SubmittedRecord[] => {
			const r = stored.get(refKey(type, id));
			// one that was deleted meanwhile needs nothing any more
			if (!r) return [];
			return [
				{
					type,
					id,
					created: false,
					was: r.values,
					sent: new Map(),
					keep: new Set(),
					inLine: true,
					added: addedOf(r),
					touched
				}
			];
		});
		if (records.length) {
			const locked = { records, stored, locks, before: piece.before };
			await (await settleLocked(client, sender, force, locked)).keep();
		}
		await donePending(client, carried, pending);
		return pending.length;
	});
}

/**
 * A form may have run a release that is no longer in force. Where the present one decides otherwise,
 * the difference is shown before anything is saved.
 */
async function refuseOtherwise(
	client: pg.PoolClient,
	workspace: string,
	force: InForce,
	seen: number,
	change: Change,
	settled: Settled,
	index: number
) {
	const doc = seen ? await readRelease(client, workspace, seen) : null;
	const plan = compilePlan(force.schema, doc ? rulesOf(doc) : { rules: [], order: {} });
	const before = await settleLoading(client, workspace, force.schema, (loader) =>
		settle(plan, change, loader, { zones })
	);
	const rec = settled.records[index];
	const { fields } = force.schema.type(rec.type).type;
	const differences = fields.flatMap((f, i) => {
		const [shown, now] = [before.records[index].values[i], rec.values[i]];
		return same(shown, now) ? [] : [{ field: f.id, shown: toJson(shown), now: toJson(now) }];
	});
	if (!differences.length) return;
	const message = `Release ${force.release} is in force now and decides otherwise than release ${seen}.`;
	throw new RefusedChange([{ field: null, message }], index, 409, undefined, {
		release: force.release,
		differences
	});
}

/**
 * Begins again when the change reached, or read through a link, a stored record that is not locked.
 * What was read as one of the many that point to a locked record needs no lock of its own: whoever
 * changes it reaches that record, and waits for it.
 */
function needLocks(
	settled: Settled,
	stored: ReadonlyMap<string, StoredRecord>,
	children: ReadonlySet<string>,
	locks: Map<string, Set<string>>
) {
	const parents = settled.read.filter((r) => !children.has(refKey(r.type, r.id)));
	const touched = [...settled.records.filter((r) => r.reached), ...parents];
	lockMore(touched, stored, locks);
}

/** @throws {MoreLocks} when some records are not locked yet */
function lockMore(
	wanted: readonly { type: string; id: string }[],
	stored: ReadonlyMap<string, StoredRecord>,
	locks: Map<string, Set<string>>
) {
	const missing = wanted.filter((r) => !stored.has(refKey(r.type, r.id)));
	if (!missing.length) return;
	for (const { type, id } of missing)
		locks.set(type, (locks.get(type) ?? new Set<string>()).add(id));
	throw new MoreLocks();
}

/** A blocking message refuses the whole change, at its field. */
function refuseBlocked(records: readonly SettledRecord[]) {
	records.forEach((rec, i) => {
		if (rec.reached) return;
		const faults = rec.messages
			.filter((m) => m.blocking)
			.map((m) => ({ field: m.field, message: m.text }));
		if (faults.length) throw new RefusedChange(faults, i, 422);
	});
}

async function lockStored(
	client: Db,
	workspace: string,
	schema: Schema,
	submissions: readonly Submission[],
	locks: ReadonlyMap<string, ReadonlySet<string>>,
	/** A record type whose records are locked so that no link can come to point to them. */
	keys?: string
) {
	const byType = new Map<string, Set<string>>();
	for (const [type, ids] of locks) byType.set(type, new Set(ids));
	submissions.forEach((s, i) => {
		if (!schema.types.has(s.type))
			throw new RefusedChange(
				[{ field: null, message: `There is no record type “${s.type}”.` }],
				i,
				404
			);
		if (s.id !== null && !/^\d{1,18}$/.test(s.id))
			throw new RefusedChange([{ field: null, message: `“${s.id}” is no record number.` }], i, 404);
		if (s.id !== null) byType.set(s.type, (byType.get(s.type) ?? new Set<string>()).add(s.id));
	});
	const stored = new Map<string, StoredRecord>();
	// in (type, id) order, so that two changes never wait for each other in a circle
	for (const type of [...byType.keys()].sort())
		for (const r of await readRecords(
			client,
			schema,
			workspace,
			type,
			[...byType.get(type)!],
			type === keys ? 'for update' : 'for no key update'
		))
			stored.set(refKey(type, r.id), r);
	submissions.forEach((s, i) => {
		if (s.id === null) return;
		const r = stored.get(refKey(s.type, s.id));
		const label = schema.type(s.type).type.label;
		if (!r)
			throw new RefusedChange(
				[{ field: null, message: `There is no ${label.toLowerCase()} with number ${s.id}.` }],
				i,
				404
			);
		if (s.version !== undefined && s.version !== r.version) {
			const message = 'Somebody else saved this record since you opened it.';
			const values = Object.fromEntries(
				schema.type(s.type).type.fields.map((f, k) => [f.id, toJson(r.values[k])])
			);
			throw new RefusedChange([{ field: null, message }], i, 409, { version: r.version, values });
		}
	});
	return stored;
}

async function submitted(
	client: Db,
	workspace: string,
	force: InForce,
	s: Submission,
	stored: StoredRecord | null,
	index: number
): Promise<SubmittedRecord> {
	const { schema } = force;
	const t = schema.type(s.type);
	const faults: SubmissionFault[] = [];
	const sent = new Map<string, Value>();
	for (const [id, json] of s.sent) {
		const i = t.at.get(id);
		if (i === undefined) {
			faults.push({ field: id, message: `${t.type.label} has no field “${id}”.` });
			continue;
		}
		const field = t.type.fields[i];
		const before = stored?.values[i] ?? null;
		let given = json;
		if (field.type === 'link' && isByKey(json)) {
			const found = await linkByKey(client, schema, workspace, field, json);
			if (!found.ok) {
				faults.push({ field: id, message: found.message });
				continue;
			}
			given = found.id;
		}
		const r = fromJson(field, given, schema);
		const wrong = r.ok ? misfit(field, r.value, before, schema) : r.message;
		if (wrong) faults.push({ field: id, message: wrong });
		else if (r.ok) {
			sent.set(id, r.value);
			if (field.type === 'link' && r.value !== null && !same(r.value, before)) {
				const found = await existing(client, workspace, field.target!, [r.value as string]);
				if (!found.size) {
					const target = schema.type(field.target!).type.label.toLowerCase();
					faults.push({
						field: id,
						message: `${field.label}: there is no ${target} with number ${String(r.value)}.`
					});
				}
			}
		}
	}
	const keep = s.keep === 'touched' ? s.keep : new Set(s.keep);
	if (keep !== 'touched')
		for (const k of keep)
			if (!t.at.has(k))
				faults.push({ field: k, message: `keep: ${t.type.label} has no field “${k}”.` });
	if (faults.length) throw new RefusedChange(faults, index);
	return {
		type: s.type,
		id: s.id ?? (await nextId(client, s.type)),
		created: stored === null,
		was: stored?.values ?? t.type.fields.map(() => null),
		sent,
		keep,
		inLine: stored?.settledBy === force.release,
		added: addedOf(stored)
	};
}

/** What rules added to the sets of a stored record. */
export function addedOf(stored: StoredRecord | null): ReadonlyMap<string, readonly string[]> {
	return new Map(Object.values(stored?.setBy ?? {}).flatMap((s) => Object.entries(s.added ?? {})));
}
