/**
 * Changes that were made, made again by two rule sets from the records as they were: each rule set goes on with
 * what it made of the records itself, and with what people sent. What differs is what the later one would have
 * done otherwise. Nothing is written, no message leaves.
 */
import { refKey } from '../document/model';
import type { EntryPoint } from '../document/rules';
import type { Plan } from '../plan/plan';
import { Gathered, type Fetched } from '../settle/gathered';
import type { Outgoing } from '../settle/outgoing';
import { settle } from '../settle/settle';
import type {
	Change,
	Message,
	Need,
	Settled,
	SettledRecord,
	SubmittedRecord
} from '../settle/types';
import type { ZoneClock } from '../value/temporal';
import { same, type Value } from '../value/value';

/** A change as it was sent. */
export interface SentChange {
	/** Milliseconds since 1970 UTC. */
	instant: number;
	entryPoint: EntryPoint;
	person: string | null;
	records: readonly {
		type: string;
		id: string;
		created: boolean;
		removed: boolean;
		/** In the order touched. */
		sent: ReadonlyMap<string, Value>;
		keep: SubmittedRecord['keep'];
	}[];
}

/** What is known of where a record stands, without running anything. */
export interface Stood {
	type: string;
	id: string;
	/** In the order of its type's fields; null where it is not there. */
	values: readonly Value[] | null;
}

/** A value that a change would have left otherwise. */
export interface ReplayedMove {
	type: string;
	id: string;
	/** Index of the field. */
	index: number;
	from: Value;
	to: Value;
	/** The claim that gives `to`; where none does, the one that no longer gives `from`. */
	claim: string | null;
	/** It is so only because an earlier change came out otherwise. */
	follows: boolean;
	/** What was sent stood by the earlier rule set, and does not by the later one. */
	entered: boolean;
}

export interface ReplayedChange {
	moves: ReplayedMove[];
	/** What the later rule set refuses it for, and the earlier does not. */
	refused: { type: string; id: string; message: Message }[];
	/** Messages that leave by the later rule set alone, and by the earlier alone. */
	sends: { type: string; id: string; message: Outgoing }[];
	unsent: { type: string; id: string; message: Outgoing }[];
	/** What the earlier rule set made of the records, to be held against what is recorded. */
	before: readonly SettledRecord[];
	/** Linked records beyond the most for one transaction: what became of them is as it is recorded. */
	deferred: number;
}

type Fetch = (needs: readonly Need[]) => Promise<Fetched>;
/** Records that are held besides those that changes made something of. */
const HELD = 50_000;

/** The records as one rule set has made them so far. */
class World {
	private readonly gathered: Gathered;
	/** Records that a change was made to: their Locked values are known to be right. */
	private readonly inLine = new Set<string>();
	/** What claims added to sets, by record. */
	private readonly added = new Map<string, ReadonlyMap<string, readonly string[]>>();
	/** Messages that do not leave twice. */
	private readonly once = new Set<string>();

	constructor(
		public plan: Plan,
		private readonly fetch: Fetch
	) {
		this.gathered = new Gathered(() => this.plan.schema);
	}

	/** Goes on by the same rules with other rows in their tables: no Locked value is known to be right any more. */
	by(plan: Plan): void {
		if (this.plan !== plan) this.inLine.clear();
		this.plan = plan;
	}

	async at(type: string, id: string): Promise<readonly Value[] | null> {
		await this.gathered.fill(this.fetch, (loader) =>
			loader.record(type, id) === undefined ? [{ type, id }] : []
		);
		return this.gathered.loader.record(type, id) ?? null;
	}

	become(
		type: string,
		id: string,
		was: readonly Value[] | null,
		values: readonly Value[] | null
	): void {
		this.gathered.become(type, id, was, values);
	}

	/** Takes over what was fetched for others. */
	learn(fetched: Fetched): void {
		this.gathered.take(fetched);
	}

	/** Fetches together what some changes will most likely read, by what stands before the first of them. */
	async prepare(changes: readonly SentChange[], zones: ZoneClock): Promise<void> {
		const open = new Set(changes);
		await this.gathered.fill(this.fetch, (loader) =>
			[...open].flatMap((c): readonly Need[] => {
				const missing = c.records.filter((r) => loader.record(r.type, r.id) === undefined);
				if (missing.length) return missing.map(({ type, id }) => ({ type, id }));
				const change = this.here(c);
				const needs = change ? settle(this.plan, change, loader, { zones }).needs : [];
				if (!needs.length) open.delete(c);
				return needs;
			})
		);
	}

	/** A change as it meets these records; null where one of them is not there. @param fresh as if no change had been made to any */
	async meets(c: SentChange, fresh = false): Promise<Change | null> {
		for (const { type, id } of c.records) await this.at(type, id);
		return this.here(c, fresh);
	}

	/** The same with the records at hand. */
	private here(c: SentChange, fresh = false): Change | null {
		const records: SubmittedRecord[] = [];
		for (const { type, id, created, removed, sent, keep } of c.records) {
			const was = this.gathered.loader.record(type, id);
			if (!was && !created) return null;
			const key = refKey(type, id);
			const added = this.added.get(key);
			records.push({
				type,
				id,
				created,
				was: was ?? this.plan.schema.type(type).type.fields.map(() => null),
				sent,
				keep,
				inLine: !fresh && this.inLine.has(key),
				...(removed ? { removed } : {}),
				...(added ? { added } : {})
			});
		}
		const { entryPoint, instant, person } = c;
		return { records, entryPoint, instant, person };
	}

	async settle(change: Change, zones: ZoneClock, plan = this.plan): Promise<Settled> {
		let out!: Settled;
		await this.gathered.fill(
			this.fetch,
			(loader) => (out = settle(plan, change, loader, { zones })).needs
		);
		return out;
	}

	/** Goes on with what a change made of the records. */
	take({ records }: Settled, change: Change): void {
		records.forEach((rec, i) => {
			const key = refKey(rec.type, rec.id);
			if (change.records[i]?.removed) return this.become(rec.type, rec.id, rec.was, null);
			if (!rec.reached) this.inLine.add(key);
			if (rec.added.size)
				this.added.set(key, new Map([...(this.added.get(key) ?? []), ...rec.added]));
			if (rec.created || rec.changes.length)
				this.become(rec.type, rec.id, rec.created ? null : rec.was, rec.values.slice());
		});
		this.gathered.trim(HELD);
	}

	/** Whether a message with this key has not left yet; now it has. */
	private first(once: string): boolean {
		const left = this.once.has(once);
		this.once.add(once);
		return !left;
	}

	/** What leaves of a change, and does not leave twice. */
	leaves({ records }: Settled) {
		return records.flatMap(({ type, id, sends }) =>
			sends
				.filter(({ once }) => once === null || this.first(once))
				.map((message) => ({ type, id, message }))
		);
	}
}

const textOf = (x: { type: string; id: string; message: Outgoing }) =>
	JSON.stringify([x.type, x.id, x.message.claim, x.message.to, x.message.subject, x.message.text]);

/** Those of one list that the other does not have as often. */
function beyond<T>(list: readonly T[], other: readonly T[], text: (x: T) => string): T[] {
	const left = new Map<string, number>();
	for (const x of other) left.set(text(x), (left.get(text(x)) ?? 0) + 1);
	return list.filter((x) => {
		const n = left.get(text(x)) ?? 0;
		left.set(text(x), n - 1);
		return n <= 0;
	});
}

const blocking = ({ records }: Settled) =>
	records.flatMap(({ type, id, reached, messages }) =>
		reached ? [] : messages.filter((m) => m.blocking).map((message) => ({ type, id, message }))
	);

/** Makes changes again, one after the other, by two rule sets. */
export class Replay {
	private readonly before: World;
	private readonly after: World;
	/** Records that the two have made different things of. */
	private readonly apart = new Set<string>();

	/** @param fetch reads records as they are now: of those that changed since, {@link stood} says what they were */
	constructor(
		before: Plan,
		after: Plan,
		fetch: Fetch,
		private readonly zones: ZoneClock
	) {
		// both read the same: what one fetches, the other has as well
		this.before = new World(before, async (needs) => {
			const fetched = await fetch(needs);
			this.after.learn(fetched);
			return fetched;
		});
		this.after = new World(after, async (needs) => {
			const fetched = await fetch(needs);
			this.before.learn(fetched);
			return fetched;
		});
	}

	/** Fetches together what the next changes will most likely read: without it each fetches for itself. */
	async prepare(changes: readonly SentChange[]): Promise<void> {
		await this.before.prepare(changes, this.zones);
		await this.after.prepare(changes, this.zones);
	}

	/** Where records stood before the first change. */
	stood(records: Iterable<Stood>): void {
		for (const { type, id, values } of records)
			for (const world of [this.before, this.after]) world.become(type, id, values, values);
	}

	/** From here on both rule sets find other rows in their living tables. */
	by(before: Plan, after: Plan): void {
		this.before.by(before);
		this.after.by(after);
	}

	/** Takes over what is recorded of a change that cannot be made again: by both rule sets alike. */
	async recorded(
		records: readonly {
			type: string;
			id: string;
			/** It was made, or deleted; else it was there and stays. */
			there: 'made' | 'deleted' | null;
			/** What fields (indices) became. */
			fields: ReadonlyMap<number, Value>;
		}[]
	): Promise<void> {
		for (const { type, id, there, fields } of records)
			for (const world of [this.before, this.after]) {
				const was = await world.at(type, id);
				const blank = () => world.plan.schema.type(type).type.fields.map((): Value => null);
				const now =
					there === 'deleted' || (!was && there !== 'made') ? null : [...(was ?? blank())];
				if (now) for (const [i, v] of fields) now[i] = v;
				world.become(type, id, was, now);
			}
	}

	/**
	 * Makes a change again. One that the later rule set refuses goes on as if it had not: whoever sent it would
	 * have sent it otherwise, and how is not known.
	 * @returns null where a record it is about is not there
	 */
	async change(c: SentChange): Promise<ReplayedChange | null> {
		const { before, after, zones, apart } = this;
		const [changeB, changeA] = [await before.meets(c), await after.meets(c)];
		if (!changeB || !changeA) return null;
		const [b, a] = [await before.settle(changeB, zones), await after.settle(changeA, zones)];
		const moves = await this.moves(c, b, a);
		if (moves.length && apart.size) {
			// by itself, from the records as the earlier rule set has made them
			const alone = await before.settle((await before.meets(c, true))!, zones, after.plan);
			const byKey = new Map(alone.records.map((r) => [refKey(r.type, r.id), r]));
			for (const m of moves) {
				const rec = byKey.get(refKey(m.type, m.id));
				const to = rec ? rec.values[m.index] : (await before.at(m.type, m.id))?.[m.index];
				m.follows = same(to ?? null, m.from);
			}
		}
		const had = new Set(blocking(b).map((x) => `${refKey(x.type, x.id)} ${x.message.claim}`));
		const [leftB, leftA] = [before.leaves(b), after.leaves(a)];
		before.take(b, changeB);
		after.take(a, changeA);
		for (const { type, id } of [...b.records, ...a.records]) {
			const key = refKey(type, id);
			const [x, y] = [await before.at(type, id), await after.at(type, id)];
			if (x === y || (x && y && x.every((v, i) => same(v, y[i])))) apart.delete(key);
			else apart.add(key);
		}
		return {
			moves,
			refused: blocking(a).filter((x) => !had.has(`${refKey(x.type, x.id)} ${x.message.claim}`)),
			sends: beyond(leftA, leftB, textOf),
			unsent: beyond(leftB, leftA, textOf),
			before: b.records,
			deferred: Math.max(b.deferred.length, a.deferred.length)
		};
	}

	/**
	 * What each rule set would refuse a change for that was refused when it was sent. Nothing becomes of it.
	 * @returns null where a record it is about is not there
	 */
	async refusal(c: SentChange): Promise<{ before: Message[]; after: Message[] } | null> {
		const out = [];
		for (const world of [this.before, this.after]) {
			const change = await world.meets(c);
			if (!change) return null;
			out.push(blocking(await world.settle(change, this.zones)).map((x) => x.message));
		}
		return { before: out[0], after: out[1] };
	}

	/** What a field of a record is by the earlier rule set. */
	async stands(type: string, id: string): Promise<readonly Value[] | null> {
		return this.before.at(type, id);
	}

	private async moves(c: SentChange, b: Settled, a: Settled): Promise<ReplayedMove[]> {
		const { schema } = this.after.plan;
		const out: ReplayedMove[] = [];
		const removed = new Set(c.records.filter((r) => r.removed).map((r) => refKey(r.type, r.id)));
		const sides = [b, a].map((s) => new Map(s.records.map((r) => [refKey(r.type, r.id), r])));
		for (const key of new Set([...sides[0].keys(), ...sides[1].keys()])) {
			if (removed.has(key)) continue;
			const [x, y] = sides.map((s) => s.get(key));
			const { type, id } = (x ?? y)!;
			const { at } = schema.type(type);
			const [from, to] = [
				x?.values ?? (await this.before.at(type, id)),
				y?.values ?? (await this.after.at(type, id))
			];
			if (!from || !to) continue;
			const sent = c.records.find((r) => r.type === type && r.id === id)?.sent;
			const written = new Set([...(x?.changes ?? []), ...(y?.changes ?? [])].map((f) => f.field));
			for (const field of written) {
				const i = at.get(field)!;
				if (same(from[i], to[i])) continue;
				const claim = [y, x].map((r) => r?.changes.find((f) => f.field === field)?.claim ?? null);
				out.push({
					type,
					id,
					index: i,
					from: from[i],
					to: to[i],
					claim: claim[0] ?? claim[1],
					follows: false,
					entered: !!sent?.has(field) && same(sent.get(field)!, from[i])
				});
			}
		}
		return out;
	}
}
