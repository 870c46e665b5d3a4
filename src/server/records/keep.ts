/** Writes what was settled: records, history, messages and what is put off, for many changes at once. */
import type { JsonValue, Schema, Settled, SettledRecord, SubmittedRecord } from '../../core';
import { refKey, rulesOfRecord, valuesToJson } from '../../core';
import { putOff } from '../db/carried';
import { restoreMade } from '../db/deleted';
import type { Db } from '../db/pool';
import type { ChangeToWrite, HadWhenDeleted, HistoryLine, QuietLine } from '../db/history';
import { nextChanges, writeHistory } from '../db/history';
import type { StoredRecord, Writing } from '../db/records';
import { writtenOver } from '../db/line';
import { deleteRecord, markSettled, writeRecords } from '../db/records';
import { keptSetBy, type SetBy } from '../db/set-by';
import type { SaveOutcome } from './describe';
import { describe, titledFormat } from './describe';
import type { Before } from './near';
import { listening, putEvents } from '../db/hooks';
import { putOut } from '../db/outbox';
import { eventOf, type ToldRecord } from '../outside/told';
import { addMembers, keepDifferences, type Difference } from '../db/pilot';
import { settlingOf, type InForce } from './force';
import { sentOf } from './submitted';
import type { Sender } from './types';

/** A change that is settled and to be kept. */
export interface Kept {
	records: readonly SubmittedRecord[];
	settled: Settled;
	/** What records were before the change that is carried on. */
	before?: readonly Before[];
	/** The release whose results the sender saw, by submitted record. */
	seen?: readonly (number | undefined)[];
	/** What the pilot decided otherwise than the release beside it. */
	apart?: readonly Difference[];
	/** The last versions of records that are made again, by submitted record. */
	restores?: readonly (number | undefined)[];
}

const NONE: ReadonlySet<string> = new Set();

/** What a record becomes through all changes, and what it is at the one that is looked at. */
interface Progress {
	version: number;
	/** Who had set its fields before the first of the changes, and who set some since. */
	before: Readonly<Record<string, SetBy>>;
	since: Record<string, SetBy> | null;
}

/** What changes mean, before any of it is written. */
interface Told {
	outcomes: SaveOutcome[][];
	writings: Map<string, Writing>;
	/** Records that were settled and stay as they are. */
	untouched: Map<string, SettledRecord>;
	/** With what history keeps of them, which is not yet whole. */
	removed: { type: string; id: string; had: HadWhenDeleted }[];
	history: ChangeToWrite[];
	/** What systems outside are told of each change. */
	outside: ToldRecord[][];
}

/**
 * Says what changes mean, each after those before it. Nothing is written.
 * @param stored the records as they were before the first of the changes
 * @param numbers those of the changes; none where they are only looked at
 * @param tellsOf record types of which systems outside are told
 */
export async function tellChanges(
	client: Db,
	sender: Sender,
	force: InForce,
	changes: readonly Kept[],
	stored: ReadonlyMap<string, StoredRecord>,
	numbers: readonly string[] = [],
	tellsOf: Pick<ReadonlySet<string>, 'has'> = NONE
): Promise<Told> {
	const { schema, plan } = force;
	const { workspace, account, entryPoint } = sender;
	const by = entryPoint === 'import' || entryPoint === 'api' ? entryPoint : 'person';
	const told = { name: account.name, account: account.id, by } as const;
	const everything = changes.flatMap((c) => c.settled.records);
	const { format, learn } = await titledFormat(client, workspace, plan, everything, stored);
	const now = new Map<string, Progress>();
	const progress = (rec: SettledRecord, last = 0): Progress => {
		const key = refKey(rec.type, rec.id);
		const had = now.get(key);
		if (had) return had;
		const before = stored.get(key);
		const made = { version: before?.version ?? last, before: before?.setBy ?? {}, since: null };
		now.set(key, made);
		return made;
	};
	const writings = new Map<string, Writing>();
	const untouched = new Map<string, SettledRecord>();
	const removed: Told['removed'] = [];
	const history: ChangeToWrite[] = [];
	const outside: ToldRecord[][] = [];
	const outcomes = changes.map(({ records, settled, seen, restores }, n) => {
		const lines: HistoryLine[] = [];
		const quiet: QuietLine[] = [];
		const out: SaveOutcome[] = [];
		const number = numbers[n] ?? '';
		const made = new Set<string>();
		const decided = new Map<string, number>();
		const tells: ToldRecord[] = [];
		outside.push(tells);
		history.push({
			number,
			lines,
			quiet,
			made,
			decided,
			submission: sentOf(sender, records, seen)
		});
		learn(settled.records);
		settled.records.forEach((rec, i) => {
			if (records[i]?.removed) {
				const { version, before, since } = progress(rec);
				const had: HadWhenDeleted = { version, by: keptSetBy({ ...before, ...since }) };
				const line = deletion(schema, rec, had);
				lines.push(line);
				if (tellsOf.has(rec.type))
					tells.push({ ...deletedRecord(rec, line), version: version + 1 });
				removed.push({ type: rec.type, id: rec.id, had });
				return;
			}
			const silent = !rec.changes.length && !rec.failures.length && !rec.messages.length;
			if (rec.reached && silent && !rec.sends.length) return;
			const state = progress(rec, restores?.[i]);
			const { release } = settlingOf(force, rec);
			const by = { ...told, release, change: number };
			const setBy = (field: string) => state.since?.[field] ?? state.before[field];
			const d = describe(rulesOfRecord(plan, rec), by, rec, setBy, format);
			if (rec.pilot) decided.set(refKey(rec.type, rec.id), release);
			if (rec.created) made.add(refKey(rec.type, rec.id));
			if (rec.created || rec.changes.length) {
				state.version++;
				state.since = { ...state.since, ...d.setBy };
				addWriting(writings, rec, d.setBy, state.version);
				if (tellsOf.has(rec.type)) {
					const { type, id, values, changes } = d.outcome();
					const kind = rec.created ? 'created' : 'changed';
					tells.push({ type, id, version: state.version, kind, release, values, changes });
				}
			} else if (!rec.reached) untouched.set(refKey(rec.type, rec.id), rec);
			lines.push(...d.history);
			quiet.push(...d.quiet);
			if (!rec.reached) out.push({ ...d.outcome(), version: Math.max(state.version, 1) });
			else if (rec.changes.length)
				out[0]?.reached.push({
					type: rec.type,
					id: rec.id,
					fields: rec.changes.map((c) => c.field)
				});
		});
		return out;
	});
	return { outcomes, writings, untouched, removed, history, outside };
}

/**
 * Writes changes in their order. A record that several of them change is written once; each has its
 * own version and its own history.
 * @param stored the records as they were before the first of the changes
 */
export async function keepChanges(
	client: Db,
	sender: Sender,
	force: InForce,
	changes: readonly Kept[],
	stored: ReadonlyMap<string, StoredRecord>
): Promise<SaveOutcome[][]> {
	const { schema, plan, release, living } = force;
	const { workspace, account, entryPoint, job } = sender;
	const at = new Date(sender.instant).toISOString();
	const numbers = await nextChanges(client, changes.length);
	const hooks = await listening(client, workspace);
	const told = await tellChanges(client, sender, force, changes, stored, numbers, {
		has: (type) => hooks.some((h) => !h.types || h.types.includes(type))
	});
	const { outcomes, writings, untouched, removed, history, outside } = told;
	for (const pilot of force.pilot ? [false, true] : [false]) {
		const by = settlingOf(force, { pilot });
		const mine = <T>(all: Iterable<T>, rec: (x: T) => SettledRecord) =>
			[...all].filter((x) => rec(x).pilot === pilot);
		const written = mine(writings.values(), (w) => w.rec);
		await writeRecords(client, schema, workspace, written, by, at);
		await markSettled(
			client,
			workspace,
			mine(untouched.values(), (r) => r),
			by
		);
	}
	await madeAgain(client, workspace, changes);
	await keepPilot(client, force, changes, at, history);
	const known = [...writings.values()].flatMap(({ rec }) =>
		rec.created ? [] : [{ type: rec.type, id: rec.id, fields: rec.changes.map((c) => c.field) }]
	);
	await writtenOver(client, workspace, known);
	for (const { type, id, had } of removed)
		had.made = await deleteRecord(client, workspace, type, id);
	const toldOf = changes
		.map(({ settled, before = [] }, i) => ({
			settled,
			before,
			...history[i],
			first: outcomes[i].at(0)
		}))
		.filter((x) => x.lines.length || x.made.size || x.settled.deferred.length);
	const head = { at, account: account.id, entryPoint, release, living, job };
	await writeHistory(client, workspace, head, toldOf);
	const sent = sender.silent
		? toldOf.map(() => 0)
		: await putOut(
				client,
				workspace,
				plan,
				toldOf.map((x) => ({ change: x.number, records: x.settled.records })),
				at
			);
	const events = outside.flatMap((records, i) => {
		const change = { workspace, number: numbers[i], at, entryPoint, by: account.name, release };
		return records.flatMap((r) => {
			const to = hooks.filter((h) => !h.types || h.types.includes(r.type));
			const event = eventOf(change, r);
			return to.map((h) => ({ ...event, hook: h.id }));
		});
	});
	await putEvents(client, events, at);
	for (const [i, { number, settled, before, first }] of toldOf.entries()) {
		if (first) Object.assign(first, { sent: sent[i], pending: settled.deferred.length });
		if (!settled.deferred.length) continue;
		const was = settled.records
			.filter((r) => r.changes.length || r.created)
			.map((r) => ({ type: r.type, id: r.id, was: r.was }));
		await putOff(client, sender, number, schema, [...before, ...was], settled.deferred);
	}
	return outcomes;
}

/** What was deleted and is there again was made when it first was. */
async function madeAgain(client: Db, workspace: string, changes: readonly Kept[]): Promise<void> {
	const again = changes.flatMap(({ records, restores }) =>
		records.filter((_, i) => restores?.[i] !== undefined)
	);
	for (const type of new Set(again.map((r) => r.type))) {
		const ids = again.filter((r) => r.type === type).map((r) => r.id);
		await restoreMade(client, workspace, type, ids);
	}
}

/** Records that came to belong to the pilot by changes, and what it decided otherwise than the release beside it. */
async function keepPilot(
	client: Db,
	{ pilot }: InForce,
	changes: readonly Kept[],
	at: string,
	history: readonly ChangeToWrite[]
): Promise<void> {
	if (!pilot) return;
	const fresh = changes.flatMap(({ records, settled }) =>
		settled.records.filter((rec, i) => rec.pilot && !rec.reached && !records[i].pilot)
	);
	for (const how of ['made', 'brought'] as const) {
		const some = fresh.filter((r) => r.created === (how === 'made'));
		for (const type of new Set(some.map((r) => r.type))) {
			const ids = some.filter((r) => r.type === type).map((r) => r.id);
			await addMembers(client, pilot.id, type, ids, how);
		}
	}
	for (const [i, { apart = [], settled }] of changes.entries()) {
		const { number, lines } = history[i];
		const told = lines.length || settled.deferred.length;
		await keepDifferences(client, pilot.id, at, told ? number : null, apart);
	}
}

/** Adds what a change writes to what earlier ones of the same transaction write to the record. */
function addWriting(
	writings: Map<string, Writing>,
	rec: SettledRecord,
	setBy: Record<string, SetBy>,
	version: number
) {
	const key = refKey(rec.type, rec.id);
	const had = writings.get(key);
	if (!had) {
		// one that is made again goes on counting where it ended
		writings.set(key, { rec, setBy, times: rec.created ? version : 1 });
		return;
	}
	const changed = new Set(rec.changes.map((c) => c.field));
	const changes = [...had.rec.changes.filter((c) => !changed.has(c.field)), ...rec.changes];
	const { created } = had.rec;
	writings.set(key, {
		rec: { ...rec, created, changes },
		setBy: { ...had.setBy, ...setBy },
		times: had.times + 1
	});
}

/** What systems outside are told of a deleted record: what it held. */
function deletedRecord(
	{ type, id }: SettledRecord,
	{ was }: HistoryLine
): Omit<ToldRecord, 'version'> {
	const values = was as Record<string, JsonValue>;
	return { type, id, kind: 'deleted', changes: [], values };
}

/** What history keeps of a deleted record: all that it held, and who had set it. */
function deletion(schema: Schema, rec: SettledRecord, had: HadWhenDeleted): HistoryLine {
	const was: Record<string, JsonValue> = valuesToJson(schema, rec.type, rec.was);
	return {
		type: rec.type,
		record: rec.id,
		field: '',
		was,
		now: null,
		claim: null,
		ruleName: null,
		because: null,
		outcome: 'deleted',
		had
	};
}
