/** One pass: which records take part in a change, and how it runs on to others along links. */
import type { RecordView, RollUp, Rolled, Step } from '../feel/env';
import type { Image } from '../document/tree';
import type { Schema } from '../document/model';
import { refKey } from '../document/model';
import type { MomentName } from '../document/rules';
import type { Value } from '../value/value';
import type { MatchKey } from '../fields/match';
import { matchKey } from '../fields/match';
import type { Plan } from '../plan/plan';
import { PENDING, PendingRecord, failure } from './attempt';
import type { AtHand } from './env';
import { PassEnv } from './env';
import type {
	Change,
	Deferred,
	Loader,
	Need,
	SettleOptions,
	StoredFigures,
	SubmittedRecord
} from './types';
import { searchKey } from './types';
import type { Working } from './working';
import { Due } from './due';
import { Behind, NONE_ROLLED, NOTHING_MADE, Rolling } from './rolling';
import { onOurClock, open } from './working';

/** Most records that one change runs on to in one transaction. */
export const MOST_REACHED = 2_000;

/** So many records of a change are searched for one by one. */
const FEW = 8;

/** With more records of a type in a change, those behind a link are looked at one by one. */
const FEW_CHANGED = 50;

/** The records of a change and those it runs on to, what is at hand of others, and what is still to settle. */
export class Pass implements AtHand {
	readonly schema: Schema;
	readonly records: Working[] = [];
	/** The same by `type.id`. */
	readonly byKey = new Map<string, Working>();
	private readonly ofType = new Map<string, Working[]>();
	private readonly places = new Map<string, number>();
	/** Loaded on the way, by `type.id`. */
	private views: Map<string, RecordView | null> | null = null;
	private needs: Map<string, Need> | null = null;
	private deferred: Map<string, Deferred> | null = null;
	private readonly found = new Map<string, { type: string; id: string }>();
	/** The collections that rules read last, by type: whoever reads one of their records reads on. */
	private readonly collections = new Map<string, readonly string[]>();
	/** Figures that rules asked for, by link and record. */
	private figures: Map<string, StoredFigures> | null = null;
	/** What is still to settle. */
	readonly due = new Due();
	/** The pass is over; what is asked for now is asked to explain it. */
	over = false;
	readonly env: PassEnv;
	/** Some change may run on to other records. */
	readonly runsOn: boolean;
	readonly moment: MomentName;

	constructor(
		readonly plan: Plan,
		readonly change: Change,
		private readonly loader: Loader,
		readonly options: SettleOptions
	) {
		this.schema = plan.schema;
		this.runsOn = plan.reach.size > 0 || (plan.pilot?.plan.reach.size ?? 0) > 0;
		this.moment = change.onRequest ? 'request' : 'changed';
		for (const r of change.records) this.take(open(plan, r, !!r.touched, options));
		this.env = new PassEnv(this.schema.model.zone, options.zones, change, this, options.findRows);
		if (plan.pilot) for (const rec of this.records) if (this.joinsPilot(rec)) this.toPilot(rec);
	}

	/** Whether a record that was submitted belongs to the pilot, or comes to belong to it by this change. */
	private joinsPilot(rec: Working): boolean {
		const r = rec.submitted;
		const { created, brought } = this.plan.pilot!.joins;
		if (r.pilot) return true;
		if (r.touched || r.removed || this.change.onRequest) return false;
		const { accounts, roads } = brought ?? {};
		if (
			brought &&
			(!accounts || accounts.has(this.change.account ?? '')) &&
			(!roads || roads.has(this.change.entryPoint))
		)
			return true;
		const chosen = r.created ? created.get(r.type) : undefined;
		if (!chosen) return false;
		// no rule has run: it is asked of what was sent
		this.env.begin(rec);
		try {
			return chosen(this.env) === true;
		} catch (e) {
			// what waits for a record is asked again with it; what fails chooses nothing
			failure(e);
			return false;
		}
	}

	private toPilot(rec: Working) {
		const { submitted } = rec;
		// the rules beside the pilot's made it what it was until now
		if (
			!submitted.pilot &&
			!submitted.created &&
			!submitted.touched &&
			submitted.inLine &&
			!rec.out.reached
		)
			rec.submitted = { ...submitted, inLine: false };
		rec.rules = this.plan.pilot!.plan;
		rec.plan = rec.rules.types.get(rec.type)!;
		rec.out.pilot = true;
	}

	private take(rec: Working) {
		const key = refKey(rec.type, rec.id);
		this.places.set(key, this.records.length);
		this.records.push(rec);
		this.byKey.set(key, rec);
		const alike = this.ofType.get(rec.type);
		if (alike) alike.push(rec);
		else this.ofType.set(rec.type, [rec]);
	}

	/** A record that a rule reads: one of the change, or a stored one. @throws {PendingRecord} */
	view(type: string, id: string): RecordView | null {
		const key = refKey(type, id);
		const own = this.byKey.get(key);
		if (own) return own.submitted.removed ? null : own;
		this.views ??= new Map();
		const seen = this.views.get(key);
		if (seen !== undefined) return seen;
		const values = this.loader.record(type, id);
		if (values === undefined) this.pendingRecord(type, id);
		const ours = values && onOurClock(this.schema, this.options.zones, values);
		const before = this.loader.before?.(type, id);
		const was = before ? onOurClock(this.schema, this.options.zones, before) : ours;
		const v = ours ? { type, id, was: was!, sent: ours, settled: ours } : null;
		this.views.set(key, v);
		return v;
	}

	/**
	 * The records whose link points to one, with the links that this change moves.
	 * @throws {PendingRecord}
	 */
	relatedIds(type: string, field: string, id: string, image: Image): readonly string[] {
		let stored = this.loader.related(type, field, id);
		if (!stored) {
			const { target } = this.schema.field(type, field)!;
			// nothing stored points to a record that is only now made
			if (this.byKey.get(refKey(target!, id))?.submitted.created) stored = [];
		}
		if (!stored)
			this.pending(`${type}.${field}.${id}`, {
				type,
				field,
				of: id,
				// who explains a value names the records behind a link, and reads none of them
				...(this.over ? { named: true as const } : {})
			});
		const i = this.schema.type(type).at.get(field)!;
		let ids = stored;
		// each record of the change stands among them or not: with many of both, that is not searched each time
		const among = this.records.length > FEW ? new Set(stored) : null;
		for (const r of this.records) {
			if (r.type !== type) continue;
			const points = r[image][i] === id && !(image === 'was' && r.submitted.created);
			if (points === (among ? among.has(r.id) : stored.includes(r.id))) continue;
			ids = points ? [...ids, r.id] : ids.filter((x) => x !== r.id);
		}
		if (ids.length > 1) this.collections.set(type, ids);
		return ids;
	}

	/**
	 * Figures of the records whose link points to one, with what this change makes of them.
	 * @returns null where each of them has to be looked at
	 * @throws {PendingRecord}
	 */
	rolledUp(of: RollUp, id: string): Rolled | null {
		if (!this.loader.rolledUp) return null;
		const own = this.ofType.get(of.type) ?? [];
		if (own.length > FEW_CHANGED) return null;
		const { target } = this.schema.field(of.type, of.link)!;
		const fresh = this.byKey.get(refKey(target!, id))?.submitted.created;
		const stored = fresh
			? { rolled: NONE_ROLLED, made: NOTHING_MADE }
			: this.loader.rolledUp(of, id);
		if (stored === null) return null;
		if (!stored) this.pending(`${of.key} ${id}`, { rollUp: of, of: id });
		(this.figures ??= new Map()).set(`${of.type}.${of.link}.${id}`, stored);
		const { at } = this.schema.type(of.type);
		const link = at.get(of.link)!;
		const value = of.field === null ? -1 : at.get(of.field)!;
		const figures = new Rolling(of, stored.rolled);
		// asked first: most of what others made is behind another record
		const points = (values: readonly Value[] | null): values is readonly Value[] =>
			values?.[link] === id;
		const tell = (record: string, values: readonly Value[], how: 'less' | 'more') =>
			figures[how](this.meets(of, record, values), value < 0 ? null : values[value]);
		const ours = (values: readonly Value[]) => onOurClock(this.schema, this.options.zones, values);
		const { made } = stored;
		// what goes before what comes: the least that is left is known only then
		for (const [k, m] of made) if (points(m.stored)) tell(k, ours(m.stored), 'less');
		for (const r of own)
			if (!r.submitted.created && !made.has(r.id) && points(r.was)) tell(r.id, r.was, 'less');
		for (const [k, m] of made)
			if (points(m.now) && !this.byKey.has(refKey(of.type, k))) tell(k, ours(m.now), 'more');
		for (const r of own) if (points(r.settled)) tell(r.id, r.settled, 'more');
		return figures.close();
	}

	/**
	 * Of the records whose link points to one, with the links that this change moves, how many there are and the first, as far
	 * as figures tell that were asked for; null where they do not: then all of them do ({@link relatedIds}).
	 */
	behind(type: string, field: string, id: string): { n: number; ids: string[] } | null {
		const stored = this.figures?.get(`${type}.${field}.${id}`);
		if (!stored) return null;
		const { rolled, made } = stored;
		const i = this.schema.type(type).at.get(field)!;
		const points = (values: readonly Value[] | null | undefined) => values?.[i] === id;
		const behind = new Behind(rolled);
		for (const [k, m] of made) {
			if (points(m.stored) === points(m.now)) continue;
			if (points(m.now)) behind.more(k);
			else behind.less(k);
		}
		for (const r of this.ofType.get(type) ?? []) {
			const had = made.get(r.id);
			const was = had ? points(had.now) : !r.submitted.created && points(r.was);
			if (was === points(r.settled)) continue;
			if (was) behind.less(r.id);
			else behind.more(r.id, true);
		}
		return behind.close();
	}

	/** Whether a record meets the condition of a roll-up. */
	private meets({ holds, type }: RollUp, id: string, values: readonly Value[]): boolean {
		if (!holds) return true;
		const { env } = this;
		const { rec } = env;
		env.rec = { type, id, was: values, sent: values, settled: values };
		try {
			return holds(env) === true;
		} finally {
			env.rec = rec;
		}
	}

	/**
	 * The records whose fields have all the keys, lowest number first, with what this change makes of
	 * them; never the record at hand itself. @throws {PendingRecord}
	 */
	matching(type: string, keys: readonly MatchKey[]): readonly string[] {
		const stored = this.loader.matching(type, keys);
		if (!stored) this.pending(searchKey(type, keys), { type, match: keys });
		const { at } = this.schema.type(type);
		let ids = stored;
		for (const r of this.records) {
			if (r.type !== type) continue;
			const meets = keys.every((k) => matchKey(k.how, r.settled[at.get(k.field)!]) === k.key);
			if (meets !== ids.includes(r.id))
				ids = meets ? [...ids, r.id] : ids.filter((x) => x !== r.id);
		}
		const own = this.env.rec;
		if (own?.type === type) ids = ids.filter((x) => x !== own.id);
		for (const id of ids.slice(0, 20)) this.found.set(refKey(type, id), { type, id });
		return [...ids].sort((a, b) => a.length - b.length || (a < b ? -1 : 1));
	}

	// ---- running on along links -------------------------------------------------------------

	/** Marks what depends on a field of a record at other records, which join the change. */
	reach(rec: Working, field: number) {
		if (!rec.changed[field] || this.options.alone) return;
		this.reachBy(this.plan, rec, field);
		// whoever belongs to the pilot reads by its rules, whatever decided what is read
		if (this.plan.pilot) this.reachBy(this.plan.pilot.plan, rec, field);
	}

	/** @param rules those of the records that depend on it */
	private reachBy(rules: Plan, rec: Working, field: number) {
		const all = rules.types.get(rec.type)!.reach[field];
		if (!all) return;
		for (const { via, node, type, key } of all)
			for (const id of this.whoReads(rec, via)) {
				const i = this.join(type, id, key, rules);
				if (i < 0 || this.records[i].submitted.removed) continue;
				this.due.add(node, i);
				(this.records[i].touched ??= new Set()).add(key);
			}
	}

	/** The records from which a way leads to a record, before the change or after it. */
	private whoReads(rec: Working, via: readonly Step[]): Iterable<string> {
		let here: readonly string[] = [rec.id];
		let type = rec.type;
		for (let k = via.length - 1; k >= 0; k--) {
			const v = via[k];
			const from = type;
			const step = (id: string) =>
				v.back ? this.parents(from, v.field, id) : this.children(v, id);
			// most ways have one step
			here = here.length === 1 ? step(here[0]) : [...new Set(here.flatMap(step))];
			type = v.back ? this.schema.field(v.type, v.field)!.target! : v.type;
		}
		return here;
	}

	/** Where a record's link points, and pointed before. */
	private parents(type: string, field: string, id: string): string[] {
		const i = this.schema.type(type).at.get(field)!;
		const view = this.byKey.get(refKey(type, id)) ?? this.nearby(() => this.view(type, id));
		const [was, now] = [view?.was[i] ?? null, view?.settled[i] ?? null];
		if (typeof was !== 'string' || was === now) return typeof now === 'string' ? [now] : [];
		return typeof now === 'string' ? [was, now] : [was];
	}

	/** The records whose link points to one, or pointed before. */
	private children(v: Step, id: string): readonly string[] {
		const i = this.schema.type(v.type).at.get(v.field)!;
		const ids = this.nearby(() => this.relatedIds(v.type, v.field, id, 'settled'));
		const left = (this.ofType.get(v.type) ?? [])
			.filter((r) => r.was[i] === id && (!ids || r.settled[i] !== id))
			.map((r) => r.id);
		return left.length ? [...(ids ?? []), ...left] : (ids ?? []);
	}

	/** What can be said now; null for what waits for a record. */
	nearby<T>(get: () => T): T | null {
		try {
			return get();
		} catch (e) {
			if (e instanceof PendingRecord) return null;
			throw e;
		}
	}

	/**
	 * The place of a record in the change; it joins it if need be. -1 when it is not at hand, or comes later, or other
	 * rules decide it.
	 */
	private join(type: string, id: string, reachedBy: string, rules: Plan): number {
		const key = refKey(type, id);
		const had = this.places.get(key);
		if (had !== undefined) return this.records[had].rules === rules ? had : -1;
		if (this.records.length - this.change.records.length >= (this.options.most ?? MOST_REACHED)) {
			this.deferred ??= new Map();
			const later = this.deferred.get(key) ?? { type, id, touched: [] };
			if (!later.touched.includes(reachedBy)) later.touched.push(reachedBy);
			this.deferred.set(key, later);
			return -1;
		}
		const was = this.loader.record(type, id);
		if (was === undefined)
			this.needs = (this.needs ?? new Map<string, Need>()).set(key, { type, id });
		if (!was) return -1;
		const pilot = this.plan.pilot !== undefined && (this.loader.pilot?.(type, id) ?? false);
		if (pilot !== (rules !== this.plan)) return -1;
		this.views?.delete(key);
		this.env.touchesRecord();
		this.take(
			open(
				this.plan,
				{ type, id, created: false, was, sent: new Map(), keep: new Set(), inLine: true },
				true,
				this.options
			)
		);
		if (pilot) this.toPilot(this.records[this.records.length - 1]);
		return this.records.length - 1;
	}

	/** A record is not at hand; nor are, most likely, those beside it: they are asked for together. */
	private pendingRecord(type: string, id: string): never {
		const beside = this.collections.get(type);
		if (beside?.includes(id))
			for (const x of beside) {
				const key = refKey(type, x);
				if (this.loader.record(type, x) !== undefined || this.byKey.has(key)) continue;
				if (this.over) this.options.missing?.({ type, id: x });
				else (this.needs ??= new Map<string, Need>()).set(key, { type, id: x });
			}
		this.pending(refKey(type, id), { type, id });
	}

	private pending(key: string, need: Need): never {
		if (this.over) this.options.missing?.(need);
		else (this.needs ??= new Map<string, Need>()).set(key, need);
		throw PENDING;
	}

	/** Begins on a record by itself, as if the change were of that one alone; what was read elsewhere stays at hand. */
	begin(r: SubmittedRecord): Working {
		this.needs = null;
		this.found.clear();
		this.env.anew();
		return open(this.plan, r, false, this.options);
	}

	/** What is missing so far. */
	lacks(): Need[] {
		return this.needs ? [...this.needs.values()] : [];
	}

	/** What was read of other records, met by searches, left for later, and is missing. */
	outcome() {
		return {
			read: [...(this.views?.values() ?? [])].flatMap((v) =>
				v ? [{ type: v.type, id: v.id }] : []
			),
			found: [...this.found.values()],
			deferred: this.deferred ? [...this.deferred.values()] : [],
			needs: this.lacks()
		};
	}
}
