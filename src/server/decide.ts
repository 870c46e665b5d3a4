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
import { settle } from '../core/settle/settle';
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
}

/** Saves submissions as one change: all or none. @throws {RefusedChange} */
export function save(sender: Sender, submissions: readonly Submission[]): Promise<SaveOutcome[]> {
	return transaction((client) => saveIn(client, sender, submissions));
}

/** The same inside a transaction that is open already. */
export async function saveIn(
	client: pg.PoolClient,
	sender: Sender,
	submissions: readonly Submission[]
): Promise<SaveOutcome[]> {
	const force = await inForce(client, sender.workspace);
	const { schema, plan } = force;
	const stored = await lockStored(client, sender.workspace, schema, submissions);
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
	const settled = await settleLoading(client, sender.workspace, schema, (loader) =>
		settle(plan, change, loader, { explain: true, zones })
	);
	refuseBlocked(settled.records);
	for (const [i, s] of submissions.entries())
		if (s.release !== undefined && s.release !== force.release)
			await refuseOtherwise(client, sender.workspace, force, s.release, change, settled, i);
	const at = new Date(sender.instant).toISOString();
	const lines: HistoryLine[] = [];
	const outcomes: SaveOutcome[] = [];
	for (const rec of settled.records) {
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
		else {
			outcome.version = stored.get(refKey(rec.type, rec.id))?.version ?? 1;
			await markSettled(client, sender.workspace, rec.type, rec.id, force.release);
		}
		lines.push(...history);
		outcomes.push(outcome);
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

/** A blocking message refuses the whole change, at its field. */
function refuseBlocked(records: readonly SettledRecord[]) {
	records.forEach((rec, i) => {
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
	submissions: readonly Submission[]
) {
	const byType = new Map<string, string[]>();
	submissions.forEach((s, i) => {
		if (!schema.types.has(s.type))
			throw new RefusedChange(
				[{ field: null, message: `There is no record type “${s.type}”.` }],
				i,
				404
			);
		if (s.id !== null && !/^\d{1,18}$/.test(s.id))
			throw new RefusedChange([{ field: null, message: `“${s.id}” is no record number.` }], i, 404);
		if (s.id !== null) byType.set(s.type, [...(byType.get(s.type) ?? []), s.id]);
	});
	const stored = new Map<string, StoredRecord>();
	// in (type, id) order, so that two changes never wait for each other in a circle
	for (const type of [...byType.keys()].sort())
		for (const r of await readRecords(client, schema, workspace, type, byType.get(type)!, true))
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

/** Settles, loads what was not at hand and settles again, until nothing is missing. */
export async function settleLoading(
	db: Db,
	workspace: string,
	schema: Schema,
	run: (loader: Loader) => Settled
): Promise<Settled> {
	const records = new Map<string, readonly Value[] | null>();
	const related = new Map<string, readonly string[]>();
	const loader: Loader = {
		record: (type, id) => records.get(refKey(type, id)),
		related: (type, field, id) => related.get(`${type}.${field}.${id}`)
	};
	for (let round = 0; ; round++) {
		const settled = run(loader);
		if (!settled.needs.length || round > 20) return settled;
		await load(settled.needs);
	}

	async function load(needs: readonly Need[]) {
		const byType = new Map<string, string[]>();
		for (const n of needs) {
			if ('id' in n) byType.set(n.type, [...(byType.get(n.type) ?? []), n.id]);
			else
				related.set(
					`${n.type}.${n.field}.${n.of}`,
					await relatedIds(db, workspace, n.type, n.field, n.of)
				);
		}
		for (const [type, ids] of byType) {
			for (const id of ids) records.set(refKey(type, id), null);
			const numbers = ids.filter((id) => /^\d{1,18}$/.test(id));
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
		}))
	};
	return { outcome, history, setBy };
}
