/** Records that rules read, loaded from the database when they ask for them. */
import type { Schema } from '../core/model/model';
import { refKey } from '../core/model/model';
import type { Loader, Need, Settled } from '../core/settle/settle';
import { MOST_REACHED, searchKey } from '../core/settle/settle';
import type { MatchKey } from '../core/text/match';
import type { Value } from '../core/value/value';
import type { Db } from './db/pool';
import { matchingIds, readRecords, relatedIds } from './db/records';

/** A record as it was before a change that is carried on. */
export interface Before {
	type: string;
	id: string;
	was: readonly Value[];
}

/**
 * Settles, loads what was not at hand and settles again, until nothing is missing.
 * @param children filled with the records (`type.id`) that were found by pointing to another
 * @param before what records were before a change of an earlier transaction that is carried on
 */
export async function settleLoading(
	db: Db,
	workspace: string,
	schema: Schema,
	run: (loader: Loader) => Settled,
	children = new Set<string>(),
	before: readonly Before[] = []
): Promise<Settled> {
	const records = new Map<string, readonly Value[] | null>();
	const related = new Map<string, readonly string[]>();
	const found = new Map<string, readonly string[]>();
	const earlier = new Map(before.map((b) => [refKey(b.type, b.id), b.was]));
	const loader: Loader = {
		record: (type, id) => records.get(refKey(type, id)),
		related: (type, field, id) => related.get(`${type}.${field}.${id}`),
		matching: (type, keys) => found.get(searchKey(type, keys)),
		before: (type, id) => earlier.get(refKey(type, id))
	};
	for (let round = 0; ; round++) {
		const settled = run(loader);
		if (!settled.needs.length || round > 50) return settled;
		await load(settled.needs);
	}

	async function load(needs: readonly Need[]) {
		const byType = new Map<string, string[]>();
		const want = (type: string, ids: readonly string[]) => {
			const had = byType.get(type);
			if (had) for (const id of ids) had.push(id);
			else byType.set(type, [...ids]);
		};
		const collections = new Map<string, { type: string; field: string; of: string[] }>();
		const searches = new Map<string, (readonly MatchKey[])[]>();
		for (const n of needs) {
			if ('id' in n) want(n.type, [n.id]);
			else if ('match' in n) searches.set(n.type, [...(searches.get(n.type) ?? []), n.match]);
			else {
				const key = refKey(n.type, n.field);
				const c = collections.get(key) ?? { type: n.type, field: n.field, of: [] };
				c.of.push(n.of);
				collections.set(key, c);
			}
		}
		for (const { type, field, of } of collections.values()) {
			const pointing = await relatedIds(db, workspace, type, field, of);
			for (const parent of of) {
				const ids = pointing.get(parent) ?? [];
				related.set(`${type}.${field}.${parent}`, ids);
				for (const id of ids) children.add(refKey(type, id));
				// what points here is read next: all of it at once, not one round a record; what is too
				// much for one change is read only where a rule asks for it
				want(type, ids.slice(0, MOST_REACHED));
			}
		}
		for (const [type, all] of searches) {
			const ids = await matchingIds(db, schema, workspace, type, all);
			all.forEach((keys, i) => found.set(searchKey(type, keys), ids[i]));
		}
		for (const [type, ids] of byType) {
			const missing = [...new Set(ids)].filter((id) => !records.has(refKey(type, id)));
			for (const id of missing) records.set(refKey(type, id), null);
			const numbers = missing.filter((id) => /^\d{1,18}$/.test(id));
			for (const r of await readRecords(db, schema, workspace, type, numbers))
				records.set(refKey(type, r.id), r.values);
		}
	}
}
