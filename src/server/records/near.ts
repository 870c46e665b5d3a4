/** Records that rules read, loaded from the database when they ask for them. */
import type { Loader, MatchKey, Need, Schema, Settled, SettledRecord, Value } from '../../core';
import { MOST_REACHED, matchKey, refKey, searchKey } from '../../core';
import type { Db } from '../db/pool';
import { matchingIds, readRecords, relatedIds } from '../db/records';

/** A record as it was before a change that is carried on. */
export interface Before {
	type: string;
	id: string;
	was: readonly Value[];
}

/** Most times what is missing is loaded for one answer. */
const MOST_ROUNDS = 50;

const byNumber = (a: string, b: string) => a.length - b.length || (a < b ? -1 : 1);

/**
 * What was loaded so far, as the core asks for it. Several changes may be settled on it one after the
 * other: what one of them made of a record is what the next one reads.
 */
export class AtHand {
	private readonly records = new Map<string, readonly Value[] | null>();
	private readonly related = new Map<string, readonly string[]>();
	private readonly found = new Map<
		string,
		{ type: string; keys: readonly MatchKey[]; ids: readonly string[] }
	>();
	/** Records (`type.id`) that were found by pointing to another. */
	readonly children = new Set<string>();
	readonly loader: Loader;

	/** @param before what records were before a change of an earlier transaction that is carried on */
	constructor(
		private readonly db: Db,
		private readonly workspace: string,
		private readonly schema: Schema,
		before: readonly Before[] = []
	) {
		const earlier = new Map(before.map((b) => [refKey(b.type, b.id), b.was]));
		this.loader = {
			record: (type, id) => this.records.get(refKey(type, id)),
			related: (type, field, id) => this.related.get(`${type}.${field}.${id}`),
			matching: (type, keys) => this.found.get(searchKey(type, keys))?.ids,
			before: (type, id) => earlier.get(refKey(type, id))
		};
	}

	/** Takes over records that were read already. */
	put(records: Iterable<{ type: string; id: string; values: readonly Value[] }>): void {
		for (const r of records) this.records.set(refKey(r.type, r.id), r.values);
	}

	/** Loads what some work lacks, until it lacks nothing. @param needs runs the work and says what it lacked */
	async fill(needs: (loader: Loader) => readonly Need[]): Promise<void> {
		for (let round = 0; round < MOST_ROUNDS; round++) {
			const missing = needs(this.loader);
			if (!missing.length) return;
			await this.load(missing);
		}
	}

	/** Settles until nothing is missing; what it has to explain is worked out once all is there. */
	async settle(run: (loader: Loader, explain: boolean) => Settled): Promise<Settled> {
		let settled!: Settled;
		for (const explain of [false, true])
			await this.fill((loader) => (settled = run(loader, explain)).needs);
		return settled;
	}

	/** Takes over what a change made of a record, so that the next change reads that. */
	keep(rec: SettledRecord): void {
		const { type, at } = this.schema.type(rec.type);
		this.records.set(refKey(rec.type, rec.id), rec.values.slice());
		const changed = new Set(rec.changes.map((c) => c.field));
		for (const f of type.fields) {
			if (f.type !== 'link' || !changed.has(f.id)) continue;
			const i = at.get(f.id)!;
			for (const [id, there] of [
				[rec.was[i], false],
				[rec.values[i], true]
			] as const)
				if (typeof id === 'string') this.point(`${rec.type}.${f.id}.${id}`, rec.id, there);
		}
		for (const s of this.found.values()) {
			if (s.type !== rec.type || !s.keys.some((k) => changed.has(k.field))) continue;
			const meets = s.keys.every((k) => matchKey(k.how, rec.values[at.get(k.field)!]) === k.key);
			if (meets !== s.ids.includes(rec.id)) s.ids = withOrWithout(s.ids, rec.id, meets);
		}
	}

	/** Notes that a record points to another, or no longer does, where it is known who points there. */
	private point(key: string, id: string, there: boolean) {
		const ids = this.related.get(key);
		if (ids && ids.includes(id) !== there) this.related.set(key, withOrWithout(ids, id, there));
	}

	/** Loads what is named. */
	async load(needs: readonly Need[]): Promise<void> {
		const { db, workspace, schema } = this;
		const byType = new Map<string, string[]>();
		const want = (type: string, ids: readonly string[]) => {
			const had = byType.get(type);
			if (had) for (const id of ids) had.push(id);
			else byType.set(type, [...ids]);
		};
		const collections = new Map<string, { type: string; field: string; of: string[] }>();
		const searches = new Map<string, Map<string, readonly MatchKey[]>>();
		for (const n of needs) {
			if ('id' in n) want(n.type, [n.id]);
			else if ('match' in n) {
				const had = searches.get(n.type) ?? new Map<string, readonly MatchKey[]>();
				searches.set(n.type, had.set(searchKey(n.type, n.match), n.match));
			} else {
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
				this.related.set(`${type}.${field}.${parent}`, ids);
				for (const id of ids) this.children.add(refKey(type, id));
				// what points here is read next: all of it at once, not one round a record; what is too
				// much for one change is read only where a rule asks for it
				want(type, ids.slice(0, MOST_REACHED));
			}
		}
		for (const [type, all] of searches) {
			const ids = await matchingIds(db, schema, workspace, type, [...all.values()]);
			[...all].forEach(([key, keys], i) => this.found.set(key, { type, keys, ids: ids[i] }));
		}
		for (const [type, ids] of byType) {
			const missing = [...new Set(ids)].filter((id) => !this.records.has(refKey(type, id)));
			for (const id of missing) this.records.set(refKey(type, id), null);
			const numbers = missing.filter((id) => /^\d{1,18}$/.test(id));
			if (!numbers.length) continue;
			for (const r of await readRecords(db, schema, workspace, type, numbers))
				this.records.set(refKey(type, r.id), r.values);
		}
	}
}

const withOrWithout = (ids: readonly string[], id: string, there: boolean): readonly string[] =>
	there ? [...ids, id].sort(byNumber) : ids.filter((x) => x !== id);
