/** Records as pages show them. */
import type { JsonValue, Schema } from '../../core';
import { toJson, valuesToJson } from '../../core';
import { db } from '../db/pool';
import type { StoredRecord } from '../db/records';
import { titlesOf } from '../db/records';
import { addedOf } from './submitted';

/** Titles of everything that some records link to, by `type.id`. */
export async function linkTitles(
	workspace: string,
	schema: Schema,
	records: readonly StoredRecord[]
): Promise<Record<string, string>> {
	const wanted = new Map<string, Set<string>>();
	for (const r of records)
		schema.type(r.type).type.fields.forEach((f, i) => {
			const v = r.values[i];
			if (f.type === 'link' && typeof v === 'string')
				wanted.set(f.target!, (wanted.get(f.target!) ?? new Set()).add(v));
		});
	const out: Record<string, string> = {};
	for (const [type, ids] of wanted)
		for (const [id, title] of await titlesOf(db(), schema, workspace, type, [...ids]))
			out[`${type}.${id}`] = title;
	return out;
}

/** Titles of the records that lines of history are of, and of those that values of links in them point to, by `type.id`. */
export async function titlesOfLines(
	workspace: string,
	schema: Schema,
	lines: readonly {
		type: string;
		record: string | null;
		field: string | null;
		was: JsonValue;
		now: JsonValue;
	}[]
): Promise<Record<string, string>> {
	const wanted = new Map<string, Set<string>>();
	const want = (type: string, id: unknown) => {
		if (!schema.types.has(type) || typeof id !== 'string' || !/^\d{1,18}$/.test(id)) return;
		wanted.set(type, (wanted.get(type) ?? new Set()).add(id));
	};
	for (const l of lines) {
		want(l.type, l.record);
		const f =
			l.field === null || !schema.types.has(l.type) ? undefined : schema.field(l.type, l.field);
		if (f?.type !== 'link') continue;
		want(f.target!, l.was);
		want(f.target!, l.now);
	}
	const out: Record<string, string> = {};
	for (const [type, ids] of wanted)
		for (const [id, title] of await titlesOf(db(), schema, workspace, type, [...ids]))
			out[`${type}.${id}`] = title;
	return out;
}

/** A stored record as a sample: its values, what its links are called, and what rules added to its sets. */
export async function sampleOf(workspace: string, schema: Schema, r: StoredRecord) {
	const { type, at } = schema.type(r.type);
	return {
		id: r.id,
		title: String(toJson(r.values[at.get(type.title)!]) ?? `No. ${r.id}`),
		values: valuesToJson(schema, r.type, r.values),
		links: await linkTitles(workspace, schema, [r]),
		added: Object.fromEntries(addedOf(r.setBy)) as Record<string, string[]>
	};
}
