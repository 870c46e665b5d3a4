/** Values that history keeps of an earlier day, of fields that have become another kind since. */
import type { JsonValue, Schema } from '../../core';
import { converted, fromJson, toJson } from '../../core';
import { zones } from '../../runtime/zones';
import { readPastFields } from '../db/model';
import type { Db } from '../db/pool';
import { titlesToConvert } from '../db/values';

/** What a record held. */
interface Held {
	type: string;
	/** When it held that last, ISO 8601 to the millisecond. */
	at: string;
	was: Record<string, JsonValue>;
}

/**
 * Records with what they held as their fields hold it now, read as if somebody typed it there; those are left out that
 * cannot hold it.
 * @returns `lost` are the fields that were left out
 */
export async function asHeldNow<R extends Held>(
	db: Db,
	workspace: string,
	schema: Schema,
	records: readonly R[]
): Promise<(R & { lost: string[] })[]> {
	const past = await readPastFields(db, workspace);
	const known = new Map<string, ReturnType<typeof titlesToConvert>>();
	const out: (R & { lost: string[] })[] = [];
	for (const r of records) {
		const was: Held['was'] = {};
		const lost: string[] = [];
		for (const [id, value] of Object.entries(r.was)) {
			// the one that ended first after that moment is the one that held it
			const from = past.find(
				(p) => p.type === r.type && p.field.id === id && p.until > r.at
			)?.field;
			const to = schema.types.has(r.type) ? schema.field(r.type, id) : undefined;
			if (!from || !to || value === null) {
				was[id] = value;
				continue;
			}
			const key = [from, to].map((f) => f.target ?? '').join(' ');
			const titles = known.get(key) ?? titlesToConvert(db, schema, workspace, [from, to]);
			known.set(key, titles);
			// what a list that is gone called its options is not known any more
			const read = from.list && !schema.lists.has(from.list) ? null : fromJson(from, value, schema);
			const now = read?.ok && converted(from, to, read.value, schema, schema, zones, await titles);
			if (now && now.ok) was[id] = toJson(now.value);
			else lost.push(id);
		}
		out.push({ ...r, was, lost });
	}
	return out;
}
