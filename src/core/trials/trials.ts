/** Trials: a sample record, a change to it and what must come of it. */
import type { JsonValue } from '../fields/codec';
import { fromJson, toJson } from '../fields/codec';
import type { Schema } from '../document/model';
import type { EntryPoint } from '../document/rules';
import type { Plan } from '../plan/plan';
import type { ClaimReport, Loader, SettledRecord, SubmittedRecord } from '../settle/settle';
import { settle } from '../settle/settle';
import { matchKey } from '../fields/match';
import type { ZoneClock } from '../value/temporal';
import { Moment } from '../value/temporal';
import type { Value } from '../value/value';
import { isList, same } from '../value/value';

/** What must come of one field. */
export interface Expectation {
	field: string;
	value: JsonValue;
	/** The field must not have this value. */
	not?: boolean;
}

export interface Trial {
	id: string;
	name: string;
	type: string;
	/** Stored values of the sample, by field; null for a new record. */
	was: Record<string, JsonValue> | null;
	/** What is sent, in the order touched. */
	sent: [field: string, value: JsonValue][];
	entryPoint: EntryPoint;
	/** The instant of the change, ISO 8601. */
	at: string;
	/** Record of the person who makes the change. */
	person?: string | null;
	/** Number of the stored record that the sample is, where linked records point to it. */
	record?: string;
	/** What rules had added to the sets of the stored sample, by claim. */
	added?: Record<string, string[]>;
	/** Linked records that are at hand, with their stored values. */
	near?: { type: string; id: string; values: Record<string, JsonValue> }[];
	expect: Expectation[];
}

/** How one expectation turned out. */
export interface TrialLine extends Expectation {
	got: JsonValue;
	held: boolean;
	/** The claims on this field, for saying why. */
	reports: ClaimReport[];
}

export interface TrialResult {
	trial: string;
	held: boolean;
	lines: TrialLine[];
	/** Why the trial could not be run at all. */
	fault?: string;
}

/** A loader that has no other records at hand: what is read through a link is pending, never taken for blank. */
export const NOTHING_ELSE: Loader = {
	record: () => undefined,
	related: () => undefined,
	matching: () => undefined
};

/**
 * A loader that has the records of a trial at hand and no others. @throws {Error} naming a field or
 * value that does not fit
 */
export function nearLoader(schema: Schema, near: Trial['near']): Loader {
	if (!near) return NOTHING_ELSE;
	return recordsLoader(
		schema,
		near.map((r) => ({ ...r, values: valuesFromJson(schema, r.type, r.values) }))
	);
}

/** A loader over some records that also gives all of a type. */
export interface WholeLoader extends Loader {
	all(type: string): readonly { id: string; values: readonly Value[] }[];
}

/** A loader over some records, for which no others exist; of two with one identity the later counts. */
export function recordsLoader(
	schema: Schema,
	records: Iterable<{ type: string; id: string; values: readonly Value[] }>
): WholeLoader {
	const byType = new Map<string, Map<string, readonly Value[]>>();
	for (const { type, id, values } of records) {
		const had = byType.get(type);
		if (had) had.set(id, values);
		else byType.set(type, new Map([[id, values]]));
	}
	/** By what is asked for, then by key; each made when it is asked for first. */
	const indexes = new Map<string, Map<string, string[]>>();
	const ids = (name: string, type: string, keyOf: (v: readonly Value[]) => string | null) => {
		const had = indexes.get(name);
		if (had) return had;
		const made = new Map<string, string[]>();
		for (const [id, values] of byType.get(type) ?? []) {
			const key = keyOf(values);
			if (key === null) continue;
			const mine = made.get(key);
			if (mine) mine.push(id);
			else made.set(key, [id]);
		}
		indexes.set(name, made);
		return made;
	};
	const place = (type: string, field: string) => schema.type(type).at.get(field)!;
	return {
		record: (type, id) => byType.get(type)?.get(id) ?? null,
		related: (type, field, id) => {
			const i = place(type, field);
			const link = (v: readonly Value[]) => (typeof v[i] === 'string' ? v[i] : null);
			return ids(`${type}.${field}`, type, link).get(id) ?? [];
		},
		matching: (type, keys) => {
			const [first = [], ...rest] = keys.map(({ field, how, key }) => {
				const i = place(type, field);
				return ids(`${type}.${field} ${how}`, type, (v) => matchKey(how, v[i])).get(key) ?? [];
			});
			return first.filter((id) => rest.every((more) => more.includes(id)));
		},
		all: (type) => [...(byType.get(type) ?? [])].map(([id, values]) => ({ id, values }))
	};
}

/** Values by field as the array the core works on. @throws {Error} naming a field or value that does not fit */
export function valuesFromJson(
	schema: Schema,
	type: string,
	json: Record<string, JsonValue>
): Value[] {
	const t = schema.type(type);
	const out: Value[] = t.type.fields.map(() => null);
	for (const [id, v] of Object.entries(json)) {
		const i = t.at.get(id);
		if (i === undefined) throw new Error(`${t.type.label} has no field “${id}”.`);
		const r = fromJson(t.type.fields[i], v, schema);
		if (!r.ok) throw new Error(r.message);
		out[i] = r.value;
	}
	return out;
}

/** The values of a record by field, blank ones left out. */
export function valuesToJson(
	schema: Schema,
	type: string,
	values: readonly Value[]
): Record<string, JsonValue> {
	const out: Record<string, JsonValue> = {};
	schema.type(type).type.fields.forEach((f, i) => {
		if (values[i] !== null) out[f.id] = toJson(values[i]);
	});
	return out;
}

/** The change that a trial makes. @throws {Error} when the trial speaks of fields or options that are gone */
export function submissionOf(
	schema: Schema,
	trial: Pick<Trial, 'type' | 'was' | 'sent' | 'record' | 'added'>
): SubmittedRecord {
	const t = schema.type(trial.type);
	const sent = new Map<string, Value>();
	for (const [id, v] of trial.sent) {
		const f = schema.field(trial.type, id);
		if (!f) throw new Error(`${t.type.label} has no field “${id}”.`);
		const r = fromJson(f, v, schema);
		if (!r.ok) throw new Error(r.message);
		sent.set(id, r.value);
	}
	return {
		type: trial.type,
		id: trial.record ?? 'sample',
		created: trial.was === null,
		was: valuesFromJson(schema, trial.type, trial.was ?? {}),
		sent,
		keep: 'touched',
		inLine: true,
		...(trial.added ? { added: new Map(Object.entries(trial.added)) } : {})
	};
}

/** Runs a trial on a plan. Never throws; a trial that cannot run says why. */
export function runTrial(plan: Plan, trial: Trial, zones: ZoneClock): TrialResult {
	let settled: SettledRecord;
	try {
		const at = Date.parse(trial.at);
		if (Number.isNaN(at)) throw new Error(`“${trial.at}” is no moment.`);
		const change = {
			records: [submissionOf(plan.schema, trial)],
			entryPoint: trial.entryPoint,
			instant: at,
			person: trial.person ?? null
		};
		const loader = nearLoader(plan.schema, trial.near);
		settled = settle(plan, change, loader, { explain: true, alone: true, zones }).records[0];
	} catch (e) {
		return { trial: trial.id, held: false, lines: [], fault: (e as Error).message };
	}
	const { at, type } = plan.schema.type(trial.type);
	const lines: TrialLine[] = [];
	for (const x of trial.expect) {
		const i = at.get(x.field);
		if (i === undefined)
			return {
				trial: trial.id,
				held: false,
				lines,
				fault: `${type.label} has no field “${x.field}”.`
			};
		const want = fromJson(type.fields[i], x.value, plan.schema);
		if (!want.ok) return { trial: trial.id, held: false, lines, fault: want.message };
		const got = settled.values[i];
		const wanted =
			want.value instanceof Moment ? want.value.in(plan.schema.model.zone, zones) : want.value;
		const equal = same(got, wanted);
		const reports = settled.reports.filter((r) => r.field === x.field);
		lines.push({
			...x,
			got: toJson(isList(got) ? [...got] : got),
			held: x.not ? !equal : equal,
			reports
		});
	}
	return { trial: trial.id, held: lines.length > 0 && lines.every((l) => l.held), lines };
}
