/** Changes of a period made again by two rule sets, from the records as they were. Nothing is written. */
import {
	Replay,
	Retelling,
	fromJson,
	isBlank,
	refKey,
	same,
	toJson,
	type JsonValue,
	type Plan,
	type Rehearsal,
	type ReplayedChange,
	type Retold,
	type Schema,
	type SentChange,
	type Stood,
	type Value
} from '../../core';
import { dayIn } from '../../runtime/format';
import { zones } from '../../runtime/zones';
import type { Db } from '../db/pool';
import { readValues } from '../db/records';
import type { Behind } from '../db/rehearsals';
import {
	eachChange,
	refusalsIn,
	touchedSince,
	type ChangeByRoad,
	type PastChange,
	type PastRefusal,
	type PastRow
} from '../db/replayed';
import type { Sent } from '../db/history';
import { fetchNeeds } from '../records/near';

/** Records that are read with one statement. */
const PIECE = 5_000;
/** Refused changes of a period that are looked at. */
const REFUSALS = 5_000;

/** What is replayed. */
export interface Replayed {
	before: Plan;
	after: Plan;
	/** Both with the rows of living tables as they stood after an edit (0 before any). */
	plansAt: (living: number) => Promise<{ before: Plan; after: Plan }>;
	/** Instants, ISO 8601, the later one left out. */
	from: string;
	to: string;
	/** Numbers of the first change from then on and of the last one between; null for none. */
	first: string | null;
	last: string | null;
}

/** What it came to, with the changes behind it. */
export interface ReplayRehearsed {
	result: Rehearsal & { replay: Retold };
	behind: (Behind & { about: string })[];
}

/** What history holds, read by today's model; what the model no longer knows is left out. */
class Reading {
	constructor(private readonly schema: Schema) {}

	index(type: string, field: string): number | undefined {
		return this.schema.types.has(type) ? this.schema.type(type).at.get(field) : undefined;
	}

	/** @returns undefined where it does not fit the model any more */
	value(type: string, field: string, json: JsonValue): Value | undefined {
		const f = this.schema.types.has(type) ? this.schema.field(type, field) : undefined;
		const r = f && fromJson(f, json, this.schema);
		return r?.ok ? r.value : undefined;
	}

	record(type: string, json: Record<string, JsonValue>): Value[] {
		const { fields } = this.schema.type(type).type;
		return fields.map((f) => this.value(type, f.id, json[f.id] ?? null) ?? null);
	}

	/** What was sent; null where some of it does not fit the model any more. */
	sent(records: Sent['records'], made: (type: string, id: string | null) => boolean) {
		const out: SentChange['records'][number][] = [];
		for (const [n, r] of records.entries()) {
			if (!this.schema.types.has(r.type)) return null;
			const sent = new Map<string, Value>();
			for (const [field, json] of r.sent) {
				const v = this.value(r.type, field, json);
				if (v === undefined) return null;
				sent.set(field, v);
			}
			out.push({
				type: r.type,
				// one that was not made has a number that no record has
				id: r.record ?? String(NOT_MADE + BigInt(n)),
				created: made(r.type, r.record),
				removed: r.removed ?? false,
				sent,
				keep: r.keep === 'touched' ? r.keep : new Set(r.keep)
			});
		}
		return out;
	}
}

const NOT_MADE = 950_000_000_000_000_000n;

/** The records as history says that they were, going backwards or forwards through it. */
class Recorded {
	/** Of those that changed since: null where there is none. */
	readonly records = new Map<string, Stood>();
	/** Values of which history does not show how they came to be what they are. */
	gaps = 0;

	constructor(
		private readonly schema: Schema,
		private readonly reading: Reading
	) {}

	at(type: string, id: string): readonly Value[] | null {
		return this.records.get(refKey(type, id))?.values ?? null;
	}

	/** Those that changed since a change, as they are now. */
	async read(db: Db, workspace: string, first: string): Promise<void> {
		for (const { type, ids } of await touchedSince(db, workspace, first)) {
			if (!this.schema.types.has(type)) continue;
			for (const id of ids) this.records.set(refKey(type, id), { type, id, values: null });
			for (let k = 0; k < ids.length; k += PIECE) {
				const some = ids.slice(k, k + PIECE);
				for (const { id, values } of await readValues(db, this.schema, workspace, type, some))
					this.records.set(refKey(type, id), { type, id, values });
			}
		}
	}

	/** Takes a change back. */
	undo({ type, record: id, made, deleted, set }: PastRow): void {
		const had = this.records.get(refKey(type, id));
		if (!had) return;
		if (deleted) {
			had.values = this.reading.record(type, deleted);
			return;
		}
		const values = had.values ? [...had.values] : this.reading.record(type, {});
		for (const [field, was, now] of set) {
			const i = this.reading.index(type, field);
			if (i === undefined) continue;
			const became = this.reading.value(type, field, now);
			if (became === undefined || !same(became, values[i])) this.gaps++;
			values[i] = this.reading.value(type, field, was) ?? null;
		}
		had.values = made ? null : values;
	}

	/** Makes a change as it is recorded. @returns the fields (indices) that it set */
	redo({ type, record: id, made, deleted, set }: PastRow): ReadonlyMap<number, Value> {
		const fields = new Map<number, Value>();
		const had = this.records.get(refKey(type, id));
		if (!had) return fields;
		for (const [field, , now] of set) {
			const i = this.reading.index(type, field);
			if (i !== undefined) fields.set(i, this.reading.value(type, field, now) ?? null);
		}
		if (deleted) had.values = null;
		else if (had.values || made) {
			const values = had.values ? [...had.values] : this.reading.record(type, {});
			for (const [i, v] of fields) values[i] = v;
			had.values = values;
		}
		return fields;
	}
}

/**
 * Replays a period: the records that changed since are taken back to where they stood, and go on from there.
 * What it holds grows with these records, up to a limit with others that are read, and with what is kept of the telling.
 * @param db one state of the database, for all of it
 * @param most changes that are kept behind each thing that is told
 * @param progress is told how many changes are done
 */
export async function replay(
	db: Db,
	workspace: string,
	{ before, after, plansAt, from, to, first, last }: Replayed,
	most: number,
	progress: (done: number) => Promise<void>
): Promise<ReplayRehearsed> {
	const { schema } = after;
	const reading = new Reading(schema);
	const recorded = new Recorded(schema, reading);
	if (first !== null) {
		await recorded.read(db, workspace, first);
		await eachChange(db, workspace, { first, last: null, backwards: true }, async (changes) => {
			for (const c of changes) c.rows.forEach((row) => recorded.undo(row));
		});
	}
	const again = new Replay(
		before,
		after,
		(needs) => fetchNeeds(db, workspace, schema, needs),
		zones
	);
	again.stood(recorded.records.values());
	const told = new Retelling(schema);
	told.gaps = recorded.gaps;
	const behind: ReplayRehearsed['behind'] = [];
	const kept = new Map<string, number>();
	const keep = (about: string, one: Behind) => {
		const n = kept.get(about) ?? 0;
		kept.set(about, n + 1);
		if (n < most) behind.push({ about, ...one });
	};
	const { zone } = schema.model;
	const headOf = (c: PastRefusal) => ({
		account: c.account,
		entryPoint: c.entryPoint,
		day: String(dayIn(c.at, zone))
	});
	const title = async (type: string, id: string) => {
		const { type: t, at } = schema.type(type);
		const values = (await again.stands(type, id)) ?? recorded.at(type, id);
		return String(toJson(values?.[at.get(t.title)!] ?? null) ?? `No. ${id}`);
	};

	const refusals = await refusalsIn(db, workspace, from, to, REFUSALS);
	/** Those that were refused before an instant, and not looked at yet. */
	const refused = async (until: string | null) => {
		while (refusals.length && (until === null || refusals[0].at <= until)) {
			const f = refusals.shift()!;
			const records = f.submission && reading.sent(f.submission.records, (_, id) => id === null);
			const of = records && (await again.refusal({ ...sentOf(f), records }));
			const had = of?.before[0];
			const admitted = had && !of.after.length ? had : null;
			const { type } = f.submission?.records[0] ?? { type: '' };
			told.refusal(admitted && { type, ...admitted }, f.account);
			if (!admitted || !records) continue;
			const { id, created } = records[0];
			keep(`admitted ${admitted.claim}`, {
				id: created ? '0' : id,
				title: created ? 'A new record' : await title(type, id),
				doc: { text: admitted.text, ...whenOf(f) }
			});
		}
	};

	/** What a change comes to by both, held against what is recorded of it. */
	const count = async (
		c: ChangeByRoad,
		r: ReplayedChange,
		fields: Map<string, readonly number[]>
	) => {
		const titles = new Map<string, string>();
		for (const x of [...r.moves, ...r.refused, ...r.sends, ...r.unsent])
			titles.set(refKey(x.type, x.id), await title(x.type, x.id));
		const otherwise = new Set<string>();
		const held = new Map(fields);
		for (const rec of r.before) {
			const { at } = schema.type(rec.type);
			const key = refKey(rec.type, rec.id);
			const changed = rec.changes.map((x) => at.get(x.field)!);
			held.set(key, [...(held.get(key) ?? []), ...changed]);
		}
		for (const [key, indices] of held) {
			const { type, id, values } = recorded.records.get(key) ?? {};
			// history knows nothing of it: nothing to hold it against
			if (!type || !id) continue;
			const stands = await again.stands(type, id);
			for (const i of indices)
				if (!same(stands?.[i] ?? null, values?.[i] ?? null))
					otherwise.add(refKey(type, schema.type(type).type.fields[i].id));
		}
		told.take(r, headOf(c), titles, [...otherwise]);
		const row = (x: { type: string; id: string }, doc: Behind['doc']): Behind => ({
			id: x.id,
			title: titles.get(refKey(x.type, x.id))!,
			doc: { ...doc, ...whenOf(c) }
		});
		for (const m of r.moves) {
			const { id: field } = schema.type(m.type).type.fields[m.index];
			const doc = {
				stored: toJson(recorded.at(m.type, m.id)?.[m.index] ?? m.from),
				from: toJson(m.from),
				to: toJson(m.to),
				claim: m.claim,
				...(m.follows ? { follows: true } : {}),
				...(m.entered && !isBlank(m.from) ? { overwritten: true } : {})
			};
			keep(`value ${refKey(m.type, field)}`, row(m, doc));
		}
		for (const x of r.refused) keep(`refused ${x.message.claim}`, row(x, { text: x.message.text }));
		for (const [about, all] of [
			['sends', r.sends],
			['unsent', r.unsent]
		] as const)
			for (const s of all) {
				const { claim, to: whom, subject, text } = s.message;
				keep(`${about} ${claim}`, row(s, { to: whom, subject, text }));
			}
	};

	/** What was sent, where it can be made again. */
	const sentIn = (c: PastChange): SentChange | null => {
		if (c.entryPoint === 'model') return null;
		const made = new Set(c.rows.filter((x) => x.made).map((x) => refKey(x.type, x.record)));
		const records =
			c.submission &&
			reading.sent(c.submission.records, (type, id) => made.has(refKey(type, id ?? '')));
		return records && { ...sentOf(c), records };
	};
	/** Each change finds the rows of living tables that it found then. */
	let living: number | null = null;
	const rowsThen = async (number: number) => {
		if (living === number) return;
		living = number;
		const then = await plansAt(number);
		again.by(then.before, then.after);
	};
	const one = async (c: PastChange, sent: SentChange | null) => {
		await rowsThen(c.living ?? 0);
		await refused(c.at);
		const rows = c.rows.filter((x) => schema.types.has(x.type));
		const fields = rows.map((x) => recorded.redo(x));
		// those of another time that lie between: clocks may be set
		const inside = c.at >= from && c.at < to;
		const byRoad = c.entryPoint !== 'model';
		const r = inside && sent ? await again.change(sent) : null;
		if (r && byRoad)
			await count(
				c,
				r,
				new Map(rows.map((x, i) => [refKey(x.type, x.record), [...fields[i].keys()]]))
			);
		else {
			await again.recorded(
				rows.map((x, i) => ({
					type: x.type,
					id: x.record,
					there: x.deleted ? 'deleted' : x.made ? 'made' : null,
					fields: fields[i]
				}))
			);
			const why = !c.submission ? 'nothing sent' : sent ? 'no record' : 'model';
			if (inside && byRoad) told.left(why, headOf(c));
		}
	};
	let done = 0;
	if (first !== null && last !== null)
		await eachChange(db, workspace, { first, last }, async (changes) => {
			const sent = changes.map(sentIn);
			await again.prepare(sent.filter((x) => x !== null));
			for (const [i, c] of changes.entries()) await one(c, sent[i]);
			done += changes.length;
			await progress(done);
		});
	await refused(null);
	return { result: told.told(), behind };
}

const sentOf = (c: PastRefusal) => ({
	instant: Date.parse(c.at),
	entryPoint: c.entryPoint,
	person: c.submission?.person ?? null
});

/** When it was, by whom and by which road. */
const whenOf = (c: PastRefusal) => ({ at: c.at, who: c.who, road: c.entryPoint });
