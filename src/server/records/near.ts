/** Records that rules read, loaded from the database when they ask for them. */
import type {
	Change,
	Fetched,
	FieldsRead,
	Loader,
	MatchKey,
	Need,
	Plan,
	RollUp,
	Schema,
	Settled,
	SettledRecord,
	Value
} from '../../core';
import { Gathered, fromText, matchHows, refKey, searchKey, settle, toldOf } from '../../core';
import { zones } from '../../runtime/zones';
import { membersAmong, type PilotOn } from '../db/pilot';
import type { Db } from '../db/pool';
import { figuresOf } from '../db/figures';
import { matchingIds, readValues, relatedIds } from '../db/records';

/** A record as it was before a change that is carried on. */
export interface Before {
	type: string;
	id: string;
	was: readonly Value[];
}

/** Most records that are read with one statement. */
const PIECE = 5_000;

/** What one fetch is to bring besides what is asked for. */
interface FetchOptions {
	/** Most records of each collection that come at once; those beyond come when a rule asks for them. */
	ahead?: number;
	/** The pilot that is on: of each record it is told whether it belongs to it. */
	pilot?: PilotOn | null;
	/** What is read of records, by type: the values of other fields come as blank. All where nothing is said. */
	reads?: FieldsRead | null;
}

const NOTHING: ReadonlySet<string> = new Set();

/**
 * Reads from the database what rules need. What points to a record is read with it, all at once,
 * not one round a record. What the model does not know is found nowhere.
 */
export async function fetchNeeds(
	db: Db,
	workspace: string,
	schema: Schema,
	needs: readonly Need[],
	{ ahead = Infinity, pilot = null, reads = null }: FetchOptions = {}
): Promise<Fetched> {
	const byType = new Map<string, Set<string>>();
	const want = (type: string, ids: readonly string[]) => {
		const had = byType.get(type) ?? new Set<string>();
		byType.set(type, had);
		for (const id of ids) had.add(id);
	};
	const collections = new Map<
		string,
		{ type: string; field: string; of: string[]; most: number }
	>();
	const searches = new Map<string, Map<string, readonly MatchKey[]>>();
	const rollUps: { rollUp: RollUp; of: string }[] = [];
	for (const n of needs) {
		if ('id' in n) want(n.type, [n.id]);
		else if ('rollUp' in n) rollUps.push(n);
		else if ('match' in n) {
			const had = searches.get(n.type) ?? new Map<string, readonly MatchKey[]>();
			searches.set(n.type, had.set(searchKey(n.type, n.match), n.match));
		} else {
			const key = `${refKey(n.type, n.field)} ${n.named ?? false}`;
			const most = n.named ? 0 : ahead;
			const c = collections.get(key) ?? { type: n.type, field: n.field, of: [], most };
			c.of.push(n.of);
			collections.set(key, c);
		}
	}
	const out = {
		records: [] as { type: string; id: string; values: readonly Value[] | null; pilot?: boolean }[],
		related: [] as { type: string; field: string; of: string; ids: readonly string[] }[],
		found: [] as { type: string; match: readonly MatchKey[]; ids: readonly string[] }[],
		rolled: await figuresOf(db, workspace, schema, rollUps)
	};
	for (const { type, field, of, most } of collections.values()) {
		const link = schema.types.has(type) && schema.field(type, field)?.type === 'link';
		const pointing = link ? await relatedIds(db, workspace, type, field, of) : null;
		for (const parent of of) {
			const ids = pointing?.get(parent) ?? [];
			out.related.push({ type, field, of: parent, ids });
			want(type, ids.slice(0, most));
		}
	}
	for (const [type, all] of searches) {
		const fitting = [...all.values()].filter((keys) => known(schema, type, keys));
		const ids = await matchingIds(db, schema, workspace, type, fitting);
		fitting.forEach((match, i) => out.found.push({ type, match, ids: ids[i] }));
		for (const match of all.values())
			if (!fitting.includes(match)) out.found.push({ type, match, ids: [] });
	}
	for (const [type, ids] of byType) {
		const there = new Map<string, readonly Value[]>();
		const numbers = schema.types.has(type) ? [...ids].filter((id) => /^\d{1,18}$/.test(id)) : [];
		const reading = reads ? { only: reads.get(type) ?? NOTHING } : {};
		for (let k = 0; k < numbers.length; k += PIECE) {
			const some = numbers.slice(k, k + PIECE);
			for (const r of await readValues(db, schema, workspace, type, some, reading))
				there.set(r.id, r.values);
		}
		const members = pilot ? await membersAmong(db, pilot.id, type, [...there.keys()]) : null;
		for (const id of ids)
			out.records.push({
				type,
				id,
				values: there.get(id) ?? null,
				...(members ? { pilot: members.has(id) } : {})
			});
	}
	return out;
}

/** Whether a search is one that the model knows, with keys that its fields can have. */
const known = (schema: Schema, type: string, keys: readonly MatchKey[]) =>
	schema.types.has(type) &&
	keys.every((k) => {
		const f = schema.field(type, k.field);
		return f && matchHows(f).includes(k.how) && fromText(f, k.key, schema).ok;
	});

/** What was read from the database so far, for settling on it. */
export class AtHand {
	private readonly gathered: Gathered;
	readonly loader: Loader;
	private readonly fetch: (needs: readonly Need[]) => Promise<Fetched>;

	/**
	 * @param pilot the one that is on, where changes run on to records that belong to it
	 * @param before what records were before a change of an earlier transaction that is carried on
	 * @param reads what is read of records, where that is not all
	 */
	constructor(
		db: Db,
		workspace: string,
		schema: Schema,
		{
			pilot = null,
			before = [],
			reads = null
		}: { pilot?: PilotOn | null; before?: readonly Before[]; reads?: FieldsRead | null } = {}
	) {
		const earlier = new Map(before.map((b) => [refKey(b.type, b.id), b.was]));
		this.gathered = new Gathered(() => schema, {
			before: (type, id) => earlier.get(refKey(type, id)),
			figures: true
		});
		this.loader = this.gathered.loader;
		this.fetch = (needs) => {
			const fresh = needs.filter((n) => !this.gathered.has(n));
			return fetchNeeds(db, workspace, schema, fresh, { pilot, reads });
		};
	}

	/** Records (`type.id`) that were found by pointing to another. */
	get children(): ReadonlySet<string> {
		return this.gathered.children;
	}

	/** Records (`type.id`) of which it was asked who points to them, or what figures those give. */
	get parents(): ReadonlySet<string> {
		return this.gathered.parents;
	}

	/** Takes over records that were read already. */
	put(
		records: Iterable<{ type: string; id: string; values: readonly Value[]; pilot?: boolean }>
	): void {
		this.gathered.put(records);
	}

	/** Loads what some work lacks, until it lacks nothing. @param needs runs the work and says what it lacked */
	fill(needs: (loader: Loader) => readonly Need[]): Promise<void> {
		return this.gathered.fill(this.fetch, needs);
	}

	/** Settles a change until nothing is missing, neither of its values nor of the reasons that are told. */
	settle(plan: Plan, change: Change, most?: number): Promise<Settled> {
		return this.gathered.settle(
			this.fetch,
			(loader, missing) => settle(plan, change, loader, { explain: true, missing, zones, most }),
			({ records }) => records.forEach((rec) => toldOf(plan, rec).forEach((r) => void r.reads))
		);
	}

	/** Takes over what a change made of a record, so that the next change reads that. */
	keep(rec: SettledRecord): void {
		this.gathered.keep(rec);
	}

	/** Whether what is named is at hand. */
	has(need: Need): boolean {
		return this.gathered.has(need);
	}

	/** Loads what is named. */
	async load(needs: readonly Need[]): Promise<void> {
		this.gathered.take(await this.fetch(needs));
	}
}
