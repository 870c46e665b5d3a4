/** Records as pages show them. */
import type { Schema } from '../../core';
import { db } from '../db/pool';
import type { StoredRecord } from '../db/records';
import { titlesOf } from '../db/records';

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
