/**
 * Saves changes to records: the one way in for forms, import and API. Reads which release is in
 * force in the same transaction, settles the change on it and writes what came of it.
 */
import type pg from 'pg';
import type { JsonValue } from '../core/model/codec';
import { fromJson, misfit, toJson } from '../core/model/codec';
import { Schema, refKey } from '../core/model/model';
import type { EntryPoint } from '../core/model/rules';
import type { Plan } from '../core/plan/plan';
import { compilePlan, ruleOf } from '../core/plan/plan';
import { reason } from '../core/settle/reason';
import type {
	Change,
	Loader,
	Need,
	SetAside,
	Settled,
	SettledRecord,
	SubmittedRecord
} from '../core/settle/settle';
import { MOST_REACHED, settle } from '../core/settle/settle';
import type { Value } from '../core/value/value';
import { same } from '../core/value/value';
import { zones } from '../runtime/zones';
import { readModel } from './db/model';
import type { Db } from './db/pool';
import { transaction } from './db/pool';
import type { HistoryLine, SetBy, StoredRecord } from './db/records';
import {
	existing,
	markSettled,
	nextId,
	readRecords,
	relatedIds,
	writeHistory,
	writeRecord
} from './db/records';
import { readRelease, releaseInForce, rulesOf } from './db/rules';

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
}

/** What became of a submitted record. */
export interface SaveOutcome {
	type: string;
	id: string;
	version: number;
	release: number;
	created: boolean;
	values: Record<string, JsonValue>;
	changes: {
		field: string;
		from: JsonValue;
		to: JsonValue;
		rule: string | null;
		because: string | null;
	}[];
	setAside: {
		field: string;
		sent: JsonValue;
		stands: JsonValue;
		rule: string;
		why: SetAside['why'];
	}[];
	failures: { field: string; rule: string; message: string }[];
	/** Advice of checks; blocking messages refuse the change instead. */
	messages: { field: string; rule: string; message: string }[];
	/** Other records that the change ran on to; told with the first record of a change. */
	reached: { type: string; id: string; fields: string[] }[];
}

/** Most times a change is settled again because it ran on to records that were not locked yet. */
const MOST_ROUNDS = 8;

/** Thrown inside a transaction that must begin again with more records locked. */
class MoreLocks extends Error {}

/**
 * Saves submissions as one change: all or none, with every record it runs on to. All records it
 * touches or reads are locked in one order at the start of its transaction; which these are is known
 * after settling it once, so it begins again until nothing was missing. @throws {RefusedChange}
 */
export async function save(
	sender: Sender,
	submissions: readonly Submission[]
): Promise<SaveOutcome[]> {
	const locks = new Map<string, Set<string>>();
	for (let round = 1; ; round++) {
		try {
			return await transaction((client) => saveLocking(client, sender, submissions, locks));
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

/** @param locks ids by record type; what turns out to be missing is added before {@link MoreLocks} is thrown */
async function saveLocking(
	client: pg.PoolClient,
	sender: Sender,
	submissions: readonly Submission[],
	locks: Map<string, Set<string>>
): Promise<SaveOutcome[]> {
	const force = await inForce(client, sender.workspace);
	const { schema, plan } = force;
	const stored = await lockStored(client, sender.workspace, schema, submissions, locks);
	const records: SubmittedRecord[] = [];
	for (const [i, s] of submissions.entries()) {
		const at = s.id === null ? null : stored.get(refKey(s.type, s.id))!;
		records.push(await submitted(client, sender.workspace, force, s, at, i));
	}
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
		(loader) => settle(plan, change, loader, { explain: true, zones }),
		children
	);
	if (settled.tooMany)
		throw new RefusedChange(
			[{ field: null, message: `This change would run on to more than ${MOST_REACHED} records.` }],
			0,
			422
		);
	needLocks(settled, stored, children, locks);
	refuseBlocked(settled.records);
	for (const [i, s] of submissions.entries())
		if (s.release !== undefined && s.release !== force.release)
			await refuseOtherwise(client, sender.workspace, force, s.release, change, settled, i);
	const at = new Date(sender.instant).toISOString();
	const lines: HistoryLine[] = [];
	const outcomes: SaveOutcome[] = [];
	for (const rec of settled.records) {
		if (rec.reached && !rec.changes.length && !rec.failures.length && !rec.messages.length)
			continue;
		const before = stored.get(refKey(rec.type, rec.id))?.setBy ?? {};
		const { outcome, history, setBy } = describe(force, sender, rec, at, before);
		if (rec.created || rec.changes.length)
			outcome.version = await writeRecord(
				client,
				schema,
				sender.workspace,
				rec,
				setBy,
				force.release,
				at
			);
		else if (!rec.reached) {
			outcome.version = stored.get(refKey(rec.type, rec.id))?.version ?? 1;
			await markSettled(client, sender.workspace, rec.type, rec.id, force.release);
		}
		lines.push(...history);
		if (!rec.reached) outcomes.push(outcome);
		else if (rec.changes.length)
			outcomes[0].reached.push({
				type: rec.type,
				id: rec.id,
				fields: rec.changes.map((c) => c.field)
			});
	}
	if (lines.length)
		await writeHistory(
			client,
			sender.workspace,
			{ at, account: sender.account.id, entryPoint: sender.entryPoint, release: force.release },
			lines
		);
	return outcomes;
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
	const missing = touched.filter((r) => !stored.has(refKey(r.type, r.id)));
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
	locks: ReadonlyMap<string, ReadonlySet<string>>
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
			true
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
		const r = fromJson(field, json, schema);
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

/**
 * Settles, loads what was not at hand and settles again, until nothing is missing.
 * @param children filled with the records (`type.id`) that were found by pointing to another
 */
export async function settleLoading(
	db: Db,
	workspace: string,
	schema: Schema,
	run: (loader: Loader) => Settled,
	children = new Set<string>()
): Promise<Settled> {
	const records = new Map<string, readonly Value[] | null>();
	const related = new Map<string, readonly string[]>();
	const loader: Loader = {
		record: (type, id) => records.get(refKey(type, id)),
		related: (type, field, id) => related.get(`${type}.${field}.${id}`)
	};
	for (let round = 0; ; round++) {
		const settled = run(loader);
		if (!settled.needs.length || round > 50) return settled;
		await load(settled.needs);
	}

	async function load(needs: readonly Need[]) {
		const byType = new Map<string, string[]>();
		const collections = new Map<string, { type: string; field: string; of: string[] }>();
		for (const n of needs) {
			if ('id' in n) byType.set(n.type, [...(byType.get(n.type) ?? []), n.id]);
			else {
				const key = refKey(n.type, n.field);
				const c = collections.get(key) ?? { type: n.type, field: n.field, of: [] };
				c.of.push(n.of);
				collections.set(key, c);
			}
		}
		for (const { type, field, of } of collections.values()) {
			const found = await relatedIds(db, workspace, type, field, of);
			for (const parent of of) {
				const ids = found.get(parent) ?? [];
				related.set(`${type}.${field}.${parent}`, ids);
				for (const id of ids) children.add(refKey(type, id));
				// what points here is read next: all of it at once, not one round a record
				byType.set(type, (byType.get(type) ?? []).concat(ids));
			}
		}
		for (const [type, ids] of byType) {
			for (const id of ids) records.set(refKey(type, id), null);
			const numbers = [...new Set(ids)].filter((id) => /^\d{1,18}$/.test(id));
			for (const r of await readRecords(db, schema, workspace, type, numbers))
				records.set(refKey(type, r.id), r.values);
		}
	}
}

/** What a settled record means to the sender, to history and to who set each field. */
function describe(
	force: InForce,
	sender: Sender,
	rec: SettledRecord,
	at: string,
	before: Record<string, SetBy>
) {
	const { plan } = force;
	const reports = new Map(rec.reports.map((r) => [r.claim, r]));
	const why = (claim: string) => reason(plan, reports.get(claim)!);
	const ruleName = (claim: string) => ruleOf(plan, claim)!.name;
	const history: HistoryLine[] = [];
	const setBy: Record<string, SetBy> = {};
	const line = (
		field: string,
		was: Value,
		now: Value,
		claim: string | null,
		because: string | null,
		outcome: HistoryLine['outcome']
	) =>
		history.push({
			type: rec.type,
			record: rec.id,
			field,
			was: toJson(was),
			now: toJson(now),
			claim,
			ruleName: claim && ruleName(claim),
			because,
			outcome
		});
	const road =
		sender.entryPoint === 'import' || sender.entryPoint === 'api' ? sender.entryPoint : 'person';
	for (const c of rec.changes) {
		const because = c.claim && why(c.claim);
		line(c.field, c.from, c.to, c.claim, because, 'set');
		setBy[c.field] = c.claim
			? {
					by: 'rule',
					name: sender.account.name,
					at,
					release: force.release,
					rule: ruleName(c.claim),
					claim: c.claim,
					because: because!
				}
			: { by: road, name: sender.account.name, at };
	}
	for (const [claim, options] of rec.added) {
		const { field } = plan.claims.get(claim)!;
		const had = setBy[field.id] ?? before[field.id];
		if (had) setBy[field.id] = { ...had, added: { ...had.added, [claim]: options } };
	}
	for (const a of rec.setAside)
		line(
			a.field,
			a.stands,
			a.sent,
			a.claim,
			`“${ruleName(a.claim)}” does not let it be set`,
			'set aside'
		);
	for (const f of rec.failures) line(f.field, null, null, f.claim, f.message, 'failed');
	// in a record that the change ran on to, a check refuses nothing: what it says is kept for people to see
	if (rec.reached)
		for (const m of rec.messages) line(m.field, null, null, m.claim, m.text, 'failed');
	const outcome: SaveOutcome = {
		type: rec.type,
		id: rec.id,
		version: 1,
		release: force.release,
		created: rec.created,
		values: Object.fromEntries(
			plan.schema.type(rec.type).type.fields.map((f, i) => [f.id, toJson(rec.values[i])])
		),
		changes: rec.changes.map((c) => ({
			field: c.field,
			from: toJson(c.from),
			to: toJson(c.to),
			rule: c.claim && ruleName(c.claim),
			because: c.claim && why(c.claim)
		})),
		setAside: rec.setAside.map((a) => ({
			field: a.field,
			sent: toJson(a.sent),
			stands: toJson(a.stands),
			rule: ruleName(a.claim),
			why: a.why
		})),
		failures: rec.failures.map((f) => ({
			field: f.field,
			rule: ruleName(f.claim),
			message: f.message
		})),
		messages: rec.messages.map((m) => ({
			field: m.field,
			rule: ruleName(m.claim),
			message: m.text
		})),
		reached: []
	};
	return { outcome, history, setBy };
}
