/** Values that history keeps of an earlier day, of fields that have become another kind since. */
import type { JsonValue, Schema, Value } from '../../core';
import { converted, fromJson, toJson } from '../../core';
import type { BeforeThen } from '../db/carried';
import { zones } from '../../runtime/zones';
import { readPastFields } from '../db/model';
import type { Db } from '../db/pool';
import { titlesToConvert } from '../db/values';
import type { Before } from './near';

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
			// the one that ended first from that moment on held it: what is lost by its end is told at that very moment
			const from = past.find(
				(p) => p.type === r.type && p.field.id === id && p.until >= r.at
			)?.field;
			const to = schema.types.has(r.type) ? schema.field(r.type, id) : undefined;
			if (!from || !to || value === null) {
				was[id] = value;
				continue;
			}
			const key = [from, to].map((f) => f.target ?? '').join(' ');
			const titles = known.get(key) ?? titlesToConvert(db, schema, workspace, from, to);
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

/** What was read of it last: the pieces of a change come one after the other, mostly by the same model. */
const read = new WeakMap<readonly BeforeThen[], { schema: Schema; before: readonly Before[] }>();

/** What records were before a change that is carried on, as the model is now; of fields that are gone nothing is left. */
export async function beforeNow(
	db: Db,
	workspace: string,
	schema: Schema,
	then: readonly BeforeThen[]
): Promise<readonly Before[]> {
	const had = read.get(then);
	if (had?.schema === schema) return had.before;
	const there = then.filter((b) => schema.types.has(b.type));
	const before = (await asHeldNow(db, workspace, schema, there)).map(({ type, id, was }) => ({
		type,
		id,
		was: schema.type(type).type.fields.map((f): Value => {
			const value = fromJson(f, was[f.id] ?? null, schema);
			return value.ok ? value.value : null;
		})
	}));
	read.set(then, { schema, before });
	return before;
}
