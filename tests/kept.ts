/** What is kept of all records, held against itself: values, history, who set what, what systems outside were told. */
import { isDeepStrictEqual } from 'node:util';
import type { JsonValue } from '../src/core';
import { toJson } from '../src/core';
import { db } from '../src/server/db/pool';
import { readRecords, type StoredRecord } from '../src/server/db/records';
import type { EventData } from '../src/server/outside/told';
import { inForce } from '../src/server/records';
import { recordThen } from '../src/server/records/past';

export const numbersOf = async (type: string): Promise<string[]> =>
	(await db().query<{ id: string }>(`select id::text from r_${type} r order by r.id`)).rows.map(
		(r) => r.id
	);
const text = (v: unknown) => JSON.stringify(v ?? null);

/** @param of a type and a number */
const fieldOf = (of: string, field: string) => `${of.split(' ')[0]} ${field}`;
/** What two know of a record, of the fields that both know (others were made or removed between them), without some. */
function both(
	of: string,
	a: Record<string, JsonValue>,
	b: Record<string, JsonValue>,
	but: ReadonlySet<string>
) {
	const fields = Object.keys(a).filter((f) => f in b && !but.has(fieldOf(of, f)));
	return [a, b].map((x) => Object.fromEntries(fields.map((f) => [f, x[f]])));
}
const alike = (...x: Parameters<typeof both>) =>
	isDeepStrictEqual(...(both(...x) as [object, object]));

async function everyRecord(workspace: string): Promise<Map<string, StoredRecord>> {
	const { schema } = await inForce(db(), workspace);
	const out = new Map<string, StoredRecord>();
	for (const { id: type } of schema.model.types)
		for (const r of await readRecords(db(), schema, workspace, type, await numbersOf(type)))
			out.set(`${type} ${r.id}`, r);
	return out;
}
async function valuesOf(workspace: string): Promise<Map<string, Record<string, JsonValue>>> {
	const { schema } = await inForce(db(), workspace);
	return new Map(
		[...(await everyRecord(workspace))].map(([key, r]) => [
			key,
			Object.fromEntries(schema.type(r.type).type.fields.map((f, i) => [f.id, toJson(r.values[i])]))
		])
	);
}

/**
 * Where history does not hang together: each line begins with what the one before left, the last left what is stored,
 * and whoever is said to have set a value set that value; of what happened before history was forgotten nothing is asked.
 * @param but fields that are not looked at, as `type field`: they became another kind, which history does not tell
 */
export async function brokenHistory(
	workspace: string,
	but: ReadonlySet<string> = new Set()
): Promise<string[]> {
	const bad: string[] = [];
	const { rows } = await db().query<{
		change: string;
		of: string;
		field: string;
		was: JsonValue;
		now: JsonValue;
		outcome: string;
	}>(
		`select l.change::text, l.type || ' ' || l.record as of, l.field, l.was, l.now, l.outcome
		 from history_line l join change c on c.id = l.change join workspace w on w.id = c.workspace
		 where c.workspace = $1 and l.outcome in ('set', 'deleted') and c.at >= coalesce(w.history_from, c.at) order by l.change`,
		[workspace]
	);
	const last = new Map<string, Map<string, { now: JsonValue; change: string }>>();
	const made = new Map<string, JsonValue>();
	for (const { change, of, field, was, now, outcome } of rows) {
		if (outcome === 'deleted') last.delete(of);
		else {
			const fields = last.get(of) ?? new Map();
			last.set(of, fields);
			const before = fields.get(field);
			if (before && !but.has(fieldOf(of, field)) && text(before.now) !== text(was))
				bad.push(
					`${of} ${field}: ${before.change} left ${text(before.now)}, ${change} found ${text(was)}`
				);
			fields.set(field, { now, change });
			made.set(`${change} ${of} ${field}`, now);
		}
	}
	const { rows: known } = await db().query<{ id: string }>(
		`select c.id::text from change c join workspace w on w.id = c.workspace
		 where c.workspace = $1 and c.at >= coalesce(w.history_from, c.at)`,
		[workspace]
	);
	const told = new Set(known.map((c) => c.id));
	const stored = await valuesOf(workspace);
	for (const [of, r] of await everyRecord(workspace))
		for (const [field, value] of Object.entries(stored.get(of)!)) {
			if (but.has(fieldOf(of, field))) continue;
			const l = last.get(of)?.get(field);
			if (l && text(l.now) !== text(value))
				bad.push(`${of} ${field}: ${text(value)} is stored, ${l.change} left ${text(l.now)}`);
			const by = r.setBy[field]?.change;
			const gave = by && made.get(`${by} ${of} ${field}`);
			if (by && told.has(by) && text(gave) !== text(value))
				bad.push(`${of} ${field}: ${text(value)} is said to be of ${by}, which gave ${text(gave)}`);
		}
	return bad;
}

/**
 * Where whoever listens from outside would know something else than what is stored: events of a record are numbered one
 * by one, each begins with what the one before told, and the last tells what is stored.
 */
export async function brokenEvents(
	workspace: string,
	but: ReadonlySet<string> = new Set()
): Promise<string[]> {
	const bad: string[] = [];
	const { rows } = await db().query<{ of: string; kind: string; data: EventData }>(
		`select e.type || ' ' || e.record as of, e.kind, (e.body::jsonb)->'data' as data
		 from hook_event e where e.hook = (select min(id) from hook where workspace = $1) order by e.id`,
		[workspace]
	);
	const last = new Map<string, (typeof rows)[number]>();
	for (const e of rows) {
		const before = last.get(e.of);
		last.set(e.of, e);
		if (!before) continue;
		const { version, values } = before.data;
		const next = `${e.of}: version ${version} was ${before.kind}, then ${e.data.version} ${e.kind}`;
		if (e.data.version !== version + 1) bad.push(next);
		if (e.kind !== 'changed') continue;
		const after = { ...values };
		for (const c of e.data.changes) {
			if (!but.has(fieldOf(e.of, c.field)) && text(after[c.field]) !== text(c.from))
				bad.push(`${next}: ${c.field} from ${text(c.from)}`);
			after[c.field] = c.to;
		}
		if (!alike(e.of, after, e.data.values, but))
			bad.push(`${next}: ${text(e.data.changes)} do not add up`);
	}
	const stored = await valuesOf(workspace);
	const records = await everyRecord(workspace);
	for (const [of, { kind, data }] of last) {
		const there = stored.get(of);
		if (kind === 'deleted' ? there : !there || !alike(of, there, data.values, but))
			bad.push(`${of}: ${kind} was told last, with ${text(data.values)}; ${text(stored.get(of))}`);
		else if (kind !== 'deleted' && records.get(of)!.version !== data.version)
			bad.push(`${of}: version ${data.version} was told, ${records.get(of)!.version} is stored`);
	}
	return bad;
}

/** All records at an instant. */
export interface Snapshot {
	/** ISO 8601. */
	at: string;
	values: Map<string, Record<string, JsonValue>>;
}

/** What stands now; no change may be under way. */
export async function snapshot(workspace: string): Promise<Snapshot> {
	const values = await valuesOf(workspace);
	// changes are told apart by milliseconds
	await new Promise((r) => setTimeout(r, 5));
	const at = new Date().toISOString();
	await new Promise((r) => setTimeout(r, 5));
	return { at, values };
}

/** Records of which history gives something else for an instant than what stood then. */
export async function otherwiseThen(
	workspace: string,
	then: Snapshot,
	but: ReadonlySet<string> = new Set()
): Promise<string[]> {
	const { schema } = await inForce(db(), workspace);
	const bad: string[] = [];
	for (const [of, r] of await everyRecord(workspace)) {
		const told = await recordThen(db(), workspace, schema, r, then.at);
		const stood = then.values.get(of);
		if (told.notYet ? stood : !stood || !alike(of, told.values, stood, but))
			bad.push(
				`${of} at ${then.at}: ${told.notYet ? 'not yet' : text(told.values)}; ${text(stood)}`
			);
	}
	return bad;
}
