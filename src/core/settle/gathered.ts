/**
 * Records that rules read, gathered as they ask for them. Where they come from (a database, a
 * server) is the caller's; what was fetched, what is still missing, and that nothing is kept while
 * something is missing, is the same everywhere.
 */
import type { Schema } from '../document/model';
import { refKey } from '../document/model';
import { matchKey, type MatchKey } from '../fields/match';
import { same, type Value } from '../value/value';
import type { RollUp, Rolled } from '../feel/env';
import { NOTHING_MADE } from './rolling';
import type { Loader, MadeOtherwise, Need, Settled, SettledRecord, StoredFigures } from './types';
import { searchKey } from './types';

/** What was fetched for some needs. What it leaves out was not found out. */
export interface Fetched {
	records: Iterable<{
		type: string;
		id: string;
		values: readonly Value[] | null;
		/** It belongs to a pilot. */
		pilot?: boolean;
	}>;
	/** Ids of all records whose link points to one, lowest first. */
	related: Iterable<{ type: string; field: string; of: string; ids: readonly string[] }>;
	/** Ids of the records that a search finds, lowest first. */
	found: Iterable<{ type: string; match: readonly MatchKey[]; ids: readonly string[] }>;
	/** Figures of the records whose link points to one, as they are stored; null where nobody tells them. */
	rolled?: Iterable<{ of: RollUp; id: string; figures: Rolled | null }>;
}

const byNumber = (a: string, b: string) => a.length - b.length || (a < b ? -1 : 1);
const withOrWithout = (ids: readonly string[], id: string, there: boolean): readonly string[] =>
	there ? [...ids, id].sort(byNumber) : ids.filter((x) => x !== id);

/** Whether a record's values have all the keys of a search. */
const meetsAll = (
	keys: readonly MatchKey[],
	values: readonly Value[],
	at: ReadonlyMap<string, number>
) => keys.every((k) => matchKey(k.how, values[at.get(k.field)!]) === k.key);

/** The text under which a need is known: two needs of one key are one. */
export const needKey = (n: Need): string => {
	if ('id' in n) return refKey(n.type, n.id);
	if ('match' in n) return searchKey(n.type, n.match);
	return 'rollUp' in n ? `${n.rollUp.key} ${n.of}` : `${n.type}.${n.field}.${n.of}`;
};

/** With more records of a type that changes made, those behind a link are looked at one by one. */
const MOST_MADE = 200;

/**
 * What was gathered so far, as the core asks for it. Several changes may be settled on it one after
 * the other: what one of them made of a record is what the next one reads ({@link keep}).
 */
export class Gathered {
	private readonly records = new Map<string, readonly Value[] | null>();
	/** Records that belong to a pilot. */
	private readonly piloted = new Set<string>();
	private readonly related = new Map<string, readonly string[]>();
	private readonly found = new Map<string, readonly string[]>();
	/** By what records of a type were searched: fields and how they are compared, each combination once. */
	private readonly searched = new Map<string, Map<string, readonly Omit<MatchKey, 'key'>[]>>();
	/** What became of records so far, by type, null of those that are not there: what is fetched later does not know of it. */
	private readonly made = new Map<string, Map<string, readonly Value[] | null>>();
	/** Figures as they are stored. */
	private readonly figures = new Map<string, Rolled | null>();
	/** What is stored of records that changes made otherwise, and how those made them, by type: figures are of what is stored. */
	private readonly otherwise = new Map<string, Map<string, MadeOtherwise>>();
	/** Records (`type.id`) that were found by pointing to another. */
	readonly children = new Set<string>();
	/** Records (`type.id`) of which it was asked who points to them, or what figures those give. */
	readonly parents = new Set<string>();
	readonly loader: Loader;

	/**
	 * @param before what a record was before a change of an earlier transaction that is carried on
	 * @param figures where records come from tells figures of those behind a link, as they are stored all the while
	 */
	constructor(
		private readonly schema: () => Schema,
		{ before, figures = false }: { before?: Loader['before']; figures?: boolean } = {}
	) {
		this.loader = {
			record: (type, id) => this.records.get(refKey(type, id)),
			related: (type, field, id) => this.related.get(`${type}.${field}.${id}`),
			matching: (type, keys) => this.found.get(searchKey(type, keys)),
			pilot: (type, id) => this.piloted.has(refKey(type, id)),
			...(before ? { before } : {}),
			...(figures ? { rolledUp: (of, id) => this.rolledUp(of, id) } : {})
		};
	}

	private rolledUp(of: RollUp, id: string): StoredFigures | null | undefined {
		const made = this.otherwise.get(of.type);
		if (made && made.size > MOST_MADE) return null;
		const rolled = this.figures.get(needKey({ rollUp: of, of: id }));
		return rolled && { rolled, made: made ?? NOTHING_MADE };
	}

	/** Whether a need is met. */
	has(n: Need): boolean {
		const map =
			'id' in n
				? this.records
				: 'match' in n
					? this.found
					: 'rollUp' in n
						? this.figures
						: this.related;
		return map.has(needKey(n));
	}

	/** Takes over records that were read. */
	put(records: Fetched['records']): void {
		for (const r of records) {
			const key = refKey(r.type, r.id);
			this.records.set(key, r.values);
			if (r.pilot) this.piloted.add(key);
		}
	}

	/** Takes over all that was fetched; what changes made of it meanwhile stays. */
	take({ records, related, found, rolled = [] }: Fetched): void {
		const parent = (type: string, link: string, id: string) =>
			this.parents.add(refKey(this.schema().field(type, link)?.target ?? '', id));
		for (const { of, id, figures } of rolled) {
			this.figures.set(needKey({ rollUp: of, of: id }), figures);
			parent(of.type, of.link, id);
		}
		for (const r of records) {
			const key = refKey(r.type, r.id);
			if (!this.records.has(key)) this.records.set(key, r.values);
			if (r.pilot) this.piloted.add(key);
		}
		const pointing = new Map<string, Map<string, string[]>>();
		for (const { type, field, of, ids } of related) {
			parent(type, field, of);
			const key = refKey(type, field);
			const made = pointing.get(key) ?? this.madePointing(type, field);
			pointing.set(key, made);
			this.related.set(`${key}.${of}`, this.pointingNow(type, ids, made.get(of) ?? []));
			for (const id of ids) this.children.add(refKey(type, id));
		}
		for (const { type, match, ids } of found) {
			const by = match.map(({ field, how }) => ({ field, how }));
			const known = this.searched.get(type) ?? new Map<string, typeof by>();
			this.searched.set(type, known.set(by.map((k) => `${k.field} ${k.how}`).join(), by));
			this.found.set(
				searchKey(type, match),
				this.withMade(type, ids, (v, at) => meetsAll(match, v, at))
			);
		}
	}

	/** Of what changes made of the records of a type, who points by a link to whom: with many of both it is not searched for each. */
	private madePointing(type: string, field: string): Map<string, string[]> {
		const out = new Map<string, string[]>();
		const made = this.made.get(type);
		if (!made) return out;
		const i = this.schema().type(type).at.get(field)!;
		for (const [id, values] of made) {
			const to = values?.[i];
			if (typeof to !== 'string') continue;
			const had = out.get(to);
			if (had) had.push(id);
			else out.set(to, [id]);
		}
		return out;
	}

	/** Ids of those that point to a record after what changes made of records. @param made those of them that changes made so */
	private pointingNow(
		type: string,
		ids: readonly string[],
		made: readonly string[]
	): readonly string[] {
		const known = this.made.get(type);
		if (!known) return ids;
		const stored = ids.filter((id) => !known.has(id));
		return made.length || stored.length < ids.length ? [...stored, ...made].sort(byNumber) : ids;
	}

	/** Ids as they are after what changes made of records. */
	private withMade(
		type: string,
		ids: readonly string[],
		meets: (values: readonly Value[], at: ReadonlyMap<string, number>) => boolean
	): readonly string[] {
		const made = this.made.get(type);
		if (!made) return ids;
		const { at } = this.schema().type(type);
		for (const [id, values] of made)
			if ((values !== null && meets(values, at)) !== ids.includes(id))
				ids = withOrWithout(ids, id, !ids.includes(id));
		return ids;
	}

	/**
	 * Fetches what some work lacks, until it lacks nothing: however many records that is.
	 * @param needs runs the work and says what it lacked
	 * @throws {Error} when what was fetched does not bring what was asked for, so that nothing is kept of it
	 */
	async fill(
		fetch: (needs: readonly Need[]) => Promise<Fetched>,
		needs: (loader: Loader) => readonly Need[]
	): Promise<void> {
		for (;;) {
			const missing = needs(this.loader);
			if (!missing.length) return;
			this.take(await fetch(missing));
			const still = missing.find((n) => !this.has(n));
			if (still) throw new Error(`What a rule reads could not be loaded: ${needKey(still)}.`);
		}
	}

	/**
	 * Settles until nothing is missing, and so until nothing is missing of the reasons that are read.
	 * @param run settles; what a reason lacks is told to `missing`
	 * @param read reads the reasons that will be told: those read later are not looked up any more
	 */
	async settle(
		fetch: (needs: readonly Need[]) => Promise<Fetched>,
		run: (loader: Loader, missing: (need: Need) => void) => Settled,
		read: (settled: Settled) => void = () => undefined
	): Promise<Settled> {
		for (;;) {
			const late: Need[] = [];
			let settled!: Settled;
			await this.fill(
				fetch,
				(loader) => (settled = run(loader, (need) => void late.push(need))).needs
			);
			read(settled);
			if (!late.length) return settled;
			await this.fill(fetch, () => late.filter((n) => !this.has(n)));
		}
	}

	/** Takes over what a change made of a record, so that the next change reads that. */
	keep(rec: SettledRecord): void {
		this.become(rec.type, rec.id, rec.was, rec.values.slice());
		if (rec.pilot) this.piloted.add(refKey(rec.type, rec.id));
	}

	/** Takes over what a record has become. @param was what it was until then @param now null: it is not there */
	become(
		type: string,
		id: string,
		was: readonly Value[] | null,
		now: readonly Value[] | null
	): void {
		const { type: t, at } = this.schema().type(type);
		this.records.set(refKey(type, id), now);
		const made = this.made.get(type) ?? new Map<string, readonly Value[] | null>();
		this.made.set(type, made.set(id, now));
		if (this.loader.rolledUp) {
			const of = this.otherwise.get(type) ?? new Map<string, MadeOtherwise>();
			const had = of.get(id);
			this.otherwise.set(type, of.set(id, { stored: had ? had.stored : was, now }));
		}
		const changed = (field: string) => {
			const i = at.get(field)!;
			return !now || !same(was?.[i] ?? null, now[i]);
		};
		for (const f of t.fields) {
			if (f.type !== 'link' || !changed(f.id)) continue;
			const i = at.get(f.id)!;
			for (const [to, there] of [
				[was?.[i], false],
				[now?.[i], true]
			] as const)
				if (typeof to === 'string') this.point(`${type}.${f.id}.${to}`, id, there);
		}
		for (const by of this.searched.get(type)?.values() ?? []) {
			if (!by.some((k) => changed(k.field))) continue;
			// of all searches only the one that found it until now, and the one that finds it from now on
			for (const [values, there] of [
				[was, false],
				[now, true]
			] as const) {
				const keys =
					values && by.map((k) => ({ ...k, key: matchKey(k.how, values[at.get(k.field)!]) }));
				if (keys?.every((k): k is MatchKey => k.key !== null))
					this.find(searchKey(type, keys), id, there);
			}
		}
	}

	/** Notes that a search finds a record, or no longer does, where it is known what it finds. */
	private find(key: string, id: string, there: boolean) {
		const ids = this.found.get(key);
		if (ids && ids.includes(id) !== there) this.found.set(key, withOrWithout(ids, id, there));
	}

	/** Forgets what was fetched, and keeps what became of records. @param beyond as long as no more is held than that */
	trim(beyond: number): void {
		if (this.records.size <= beyond) return;
		this.related.clear();
		this.found.clear();
		this.children.clear();
		this.parents.clear();
		this.figures.clear();
		this.records.clear();
		for (const [type, records] of this.made)
			for (const [id, values] of records) this.records.set(refKey(type, id), values);
	}

	/** Notes that a record points to another, or no longer does, where it is known who points there. */
	private point(key: string, id: string, there: boolean) {
		const ids = this.related.get(key);
		if (ids && ids.includes(id) !== there) this.related.set(key, withOrWithout(ids, id, there));
	}

	/** Forgets everything: records may have changed. */
	forget(): void {
		for (const m of [
			this.records,
			this.piloted,
			this.related,
			this.found,
			this.searched,
			this.made,
			this.figures,
			this.otherwise,
			this.children,
			this.parents
		])
			m.clear();
	}
}
