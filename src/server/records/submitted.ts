/** Submissions read against the model and what is stored, before any rule runs. */
import type { Loader, Need, Schema, SubmittedRecord, Value } from '../../core';
import { fromJson, misfit, refKey, same, toJson } from '../../core';
import type { Sent } from '../db/history';
import type { Settling, StoredRecord } from '../db/records';
import { settlingOf, type InForce } from './force';
import { isByKey, keySearch, linkByKey } from './by-key';
import type { Sender, Submission, SubmissionFault } from './types';
import { RefusedChange } from './types';

/** Whether a record was settled by what is in force: its Locked values then are what they should be. */
export const settledAs = (by: Settling | null | undefined, force: Settling): boolean =>
	by?.release === force.release && by.living === force.living;

const NOTHING_ADDED: ReadonlyMap<string, readonly string[]> = new Map();

/** What rules added to the sets of a stored record; nothing where who set what was not read. */
export function addedOf(
	setBy: StoredRecord['setBy'] | null
): ReadonlyMap<string, readonly string[]> {
	const out = Object.values(setBy ?? {}).filter((s) => s.added);
	// of most records nothing was added to any set
	if (!out.length) return NOTHING_ADDED;
	return new Map(out.flatMap((s) => Object.entries(s.added!)));
}

/**
 * What was sent, as history keeps it; null where nobody sent it and a change is only carried on.
 * @param seen the release whose results the sender saw, by record
 * @param refused a record that was not made has no number
 */
export function sentOf(
	{ account: { person } }: Sender,
	records: readonly SubmittedRecord[],
	seen: readonly (number | undefined)[] = [],
	refused = false
): Sent | null {
	if (records.every((r) => r.touched)) return null;
	return {
		person,
		records: records.map((r, i): Sent['records'][number] => ({
			type: r.type,
			record: refused && r.created ? null : r.id,
			...(r.removed ? { removed: true } : {}),
			sent: [...r.sent].map(([field, v]) => [field, toJson(v)]),
			keep: r.keep === 'touched' ? r.keep : [...r.keep],
			...(seen[i] === undefined ? {} : { release: seen[i] })
		}))
	};
}

/** What must be at hand to read a submission: the records that its links point to. */
export function linkNeeds(schema: Schema, s: Submission): Need[] {
	return s.sent.flatMap(([id, json]): Need[] => {
		const f = schema.field(s.type, id);
		if (f?.type !== 'link') return [];
		if (typeof json === 'string' && /^\d{1,18}$/.test(json)) return [{ type: f.target!, id: json }];
		const search = isByKey(json) ? keySearch(schema, f, json) : null;
		return search?.ok ? [{ type: f.target!, match: search.keys }] : [];
	});
}

/** The stored record that a submission changes; null for a new one, and for one that is made again. @throws {RefusedChange} */
export function storedOf(
	schema: Schema,
	s: Submission,
	stored: ReadonlyMap<string, StoredRecord>,
	index: number
): StoredRecord | null {
	const refuse = (message: string) => new RefusedChange([{ field: null, message }], index, 404);
	if (!schema.types.has(s.type)) throw refuse(`There is no record type “${s.type}”.`);
	if (s.id === null) return null;
	if (!/^\d{1,18}$/.test(s.id)) throw refuse(`“${s.id}” is no record number.`);
	const { type } = schema.type(s.type);
	const r = stored.get(refKey(s.type, s.id));
	if (s.restores !== undefined) {
		if (!r) return null;
		throw new RefusedChange([{ field: null, message: 'It is there already.' }], index, 409);
	}
	if (!r) throw refuse(`There is no ${type.label.toLowerCase()} with number ${s.id}.`);
	if (s.version === undefined || s.version === r.version) return r;
	const values = Object.fromEntries(type.fields.map((f, k) => [f.id, toJson(r.values[k])]));
	throw new RefusedChange(
		[{ field: null, message: 'Somebody else saved this record since you opened it.' }],
		index,
		409,
		{ version: r.version, values }
	);
}

/**
 * Reads a submission. @throws {RefusedChange} with every field that cannot be read
 * @param id the number that a new record gets
 */
export function readSubmission(
	schema: Schema,
	force: Pick<InForce, 'release' | 'living' | 'pilot'>,
	loader: Loader,
	s: Submission,
	stored: StoredRecord | null,
	id: string,
	index: number
): SubmittedRecord {
	const t = schema.type(s.type);
	const faults: SubmissionFault[] = [];
	const sent = new Map<string, Value>();
	for (const [field, json] of s.sent) {
		const i = t.at.get(field);
		if (i === undefined) {
			faults.push({ field, message: `${t.type.label} has no field “${field}”.` });
			continue;
		}
		const r = readValue(schema, loader, t.type.fields[i], json, stored?.values[i] ?? null);
		if ('message' in r) faults.push({ field, message: r.message });
		else sent.set(field, r.value);
	}
	const keep = s.keep === 'touched' ? s.keep : new Set(s.keep);
	if (keep !== 'touched')
		for (const k of keep)
			if (!t.at.has(k))
				faults.push({ field: k, message: `keep: ${t.type.label} has no field “${k}”.` });
	if (faults.length) throw new RefusedChange(faults, index);
	return {
		type: s.type,
		id: s.id ?? id,
		created: stored === null,
		was: stored?.values ?? t.type.fields.map(() => null),
		sent,
		keep,
		inLine: settledAs(stored?.settledBy, settlingOf(force, stored ?? {})),
		added: addedOf(stored?.setBy ?? {}),
		...(stored?.pilot ? { pilot: true } : {})
	};
}

function readValue(
	schema: Schema,
	loader: Loader,
	field: Parameters<typeof fromJson>[0],
	json: unknown,
	before: Value
): { value: Value } | { message: string } {
	let given = json;
	if (field.type === 'link' && isByKey(json)) {
		const found = linkByKey(loader, schema, field, json);
		if (!found.ok) return found;
		given = found.id;
	}
	const r = fromJson(field, given, schema);
	const wrong = r.ok ? misfit(field, r.value, before, schema) : r.message;
	if (wrong || !r.ok) return { message: wrong! };
	if (field.type === 'link' && r.value !== null && !same(r.value, before)) {
		const id = r.value as string;
		// a link given by its key was found just now
		if (given === json && !loader.record(field.target!, id)) {
			const target = schema.type(field.target!).type.label.toLowerCase();
			return { message: `${field.label}: there is no ${target} with number ${id}.` };
		}
	}
	return { value: r.value };
}
