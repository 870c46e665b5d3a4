/** Records at hand as the core reads them: values by field as JSON and back, and loaders over them. */
import type { JsonValue } from '../fields/codec';
import { fromJson, toJson } from '../fields/codec';
import type { Schema } from '../document/model';
import { matchKey } from '../fields/match';
import type { Loader, SubmittedRecord } from '../settle/settle';
import type { Value } from '../value/value';

/** A loader that has no other records at hand: what is read through a link is pending, never taken for blank. */
export const NOTHING_ELSE: Loader = {
	record: () => undefined,
	related: () => undefined,
	matching: () => undefined
};

/** A record with its values by field. */
interface Near {
	type: string;
	id: string;
	values: Record<string, JsonValue>;
}

/**
 * A loader that has the records of a trial at hand and no others. @throws {Error} naming a field or
 * value that does not fit
 */
export function nearLoader(schema: Schema, near: readonly Near[] | undefined): Loader {
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

/** What somebody submits, from values as JSON. @throws {Error} when it speaks of fields or options that are gone */
export function submissionOf(
	schema: Schema,
	trial: {
		type: string;
		was: Record<string, JsonValue> | null;
		sent: readonly (readonly [field: string, value: JsonValue])[];
		record?: string;
		added?: Record<string, string[]>;
	}
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
