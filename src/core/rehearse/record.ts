/** One record that exists, as two rule sets would have it: nothing is written, no message leaves. */
import type { Differing } from '../compare/differing';
import { refKey, type FieldRef } from '../document/model';
import { planOf, type Plan } from '../plan/plan';
import { addedTo, fieldsRead, readByAny, type FieldsRead } from '../plan/reads';
import type { Outgoing } from '../settle/outgoing';
import { settle } from '../settle/settle';
import { firstNeeds, Still } from '../settle/still';
import type {
	Loader,
	Message,
	Need,
	Settled,
	SettledRecord,
	SubmittedRecord
} from '../settle/types';
import type { ZoneClock } from '../value/temporal';
import { same, type Value } from '../value/value';
import { lookAt, selects, untouched, type Selector } from '../select/select';

/** What a rehearsal holds against each other, compiled once for all records. */
export interface Rehearsing {
	differing: Differing;
	/** By record type, those of which its own values or checks read fields that may come out otherwise. */
	near: ReadonlyMap<string, ReadonlySet<string>>;
	/** The later rule set's messages alone. */
	messages: Plan;
	/** Of one type the records that are looked at; null for all of all types. */
	selector: Selector | null;
	/** The moment at which everything is asked, milliseconds since 1970. */
	instant: number;
}

export function rehearsing(
	differing: Differing,
	after: Plan,
	selector: Selector | null,
	instant: number
): Rehearsing {
	const messages = planOf(after, () => false, { messages: [...after.messages] });
	return { differing, near: nearOf(differing), messages, selector, instant };
}

/** A record is rehearsed together with so many others at most. */
const MOST_NEAR = 60;

function nearOf({ fields, before, after, checks }: Differing): Map<string, Set<string>> {
	const out = new Map<string, Set<string>>();
	const reads = (type: string, of: readonly FieldRef[]) => {
		const had = out.get(type) ?? new Set();
		out.set(type, had);
		for (const r of of) if (fields.has(refKey(r.type, r.field))) had.add(r.type);
	};
	for (const n of [...before.nodes, ...after.nodes])
		for (const c of [...n.claims, ...n.adders]) reads(n.type, c.reached);
	for (const p of [checks.before, checks.after])
		for (const v of p.validators.values())
			reads(
				v.rule.type,
				v.reads.filter((r) => r.via.length)
			);
	return out;
}

/** A stored record. */
export interface Rehearsed {
	id: string;
	/** In the order of its type's fields. */
	values: readonly Value[];
	/** Options that claims added to sets, by claim. */
	added: ReadonlyMap<string, readonly string[]>;
}

/** A field that comes out otherwise. */
export interface Move {
	/** Index of the field. */
	index: number;
	stored: Value;
	from: Value;
	to: Value;
	/** The claim that gives `to`; where none does, the one that no longer gives `from`. */
	claim: string | null;
}

export interface RehearsedRecord {
	/** What was missing; with any, the rest is not final. */
	needs: Need[];
	/** Whether it is looked at at all. */
	selected: boolean;
	moves: Move[];
	/** What would refuse the next change that concerns it, and did not by the earlier rules. */
	refused: Message[];
	/**
	 * What would leave if the record were saved with the values that the later rules give: about itself, and about the
	 * stored records that this change runs on to.
	 */
	sends: { type: string; id: string; values: readonly Value[]; message: Outgoing }[];
	/** More linked records come out otherwise than are settled with it, or are set off by it: these are left out. */
	partly: boolean;
}

/** The fields of a type (indices) that may come out otherwise. */
export function askedOf({ differing }: Rehearsing, type: string): number[] {
	const { fields } = differing.after.schema.type(type).type;
	return fields.flatMap((f, i) => (differing.fields.has(refKey(type, f.id)) ? [i] : []));
}

/**
 * Linked records as a rule set would have them, for the records of one piece of work: one that reads nothing in its
 * turn that may come out otherwise is settled once, however many read it.
 */
export class Linked {
	private readonly known = new Map<Plan, Map<string, readonly Value[]>>();
	private readonly loaders = new Map<string, { of: Loader; by: Loader }>();
	private readonly stills = new Map<Plan, Map<Loader, Still>>();
	/** What such records lacked. */
	private needs: Need[] = [];

	constructor(private readonly r: Rehearsing) {}

	/** What was lacking since it was asked last. */
	lacked(): Need[] {
		const needs = this.needs;
		this.needs = [];
		return needs;
	}

	/** The loader, with such records of a type's neighbours settled by a plan. One loader as long as that given is one. */
	by(plan: Plan, type: string, loader: Loader, zones: ZoneClock): Loader {
		const key = `${plan === this.r.differing.after} ${type}`;
		const had = this.loaders.get(key);
		if (had?.of === loader) return had.by;
		const by = this.over(plan, type, this.without(loader), zones);
		this.loaders.set(key, { of: loader, by });
		return by;
	}

	/**
	 * Whether a record is by both rule sets as it is stored, as far as they differ.
	 * @param loaders by either, see {@link by}
	 * @returns false also where that is not told by the record alone; what is missing to tell it
	 */
	unmoved(own: SubmittedRecord, loaders: readonly Loader[], zones: ZoneClock): boolean | Need[] {
		const { near, differing } = this.r;
		// those that it reads are given as they would be, unless they read such ones in their turn
		if ([...(near.get(own.type) ?? [])].some((t) => near.get(t)?.size)) return false;
		const needs: Need[] = [];
		for (const [i, plan] of [differing.before, differing.after].entries()) {
			const is = this.still(plan, loaders[i], zones).of(own);
			if (is === false) return false;
			if (is !== true) needs.push(...is, ...this.lacked());
		}
		return needs.length ? needs : true;
	}

	private still(plan: Plan, loader: Loader, zones: ZoneClock): Still {
		const known = this.stills.get(plan) ?? new Map<Loader, Still>();
		this.stills.set(plan, known);
		const had = known.get(loader);
		if (had) return had;
		const still = new Still(plan, lookAt([], this.r.instant), loader, zones);
		known.set(loader, still);
		return still;
	}

	/** Without figures of records that may come out otherwise: such figures are of what is stored. */
	private without(loader: Loader): Loader {
		const moving = new Set([...this.r.near.values()].flatMap((types) => [...types]));
		const { rolledUp } = loader;
		return rolledUp && moving.size
			? { ...loader, rolledUp: (of, id) => (moving.has(of.type) ? null : rolledUp(of, id)) }
			: loader;
	}

	private over(plan: Plan, type: string, loader: Loader, zones: ZoneClock): Loader {
		const { near, instant } = this.r;
		const types = [...(near.get(type) ?? [])].filter((t) => !near.get(t)?.size);
		if (!types.length) return loader;
		const known = this.known.get(plan) ?? new Map<string, readonly Value[]>();
		this.known.set(plan, known);
		return {
			...loader,
			related: (t, field, id) => loader.related(t, field, id),
			matching: (t, keys) => loader.matching(t, keys),
			record: (t, id) => {
				const values = loader.record(t, id);
				if (!values || !types.includes(t)) return values;
				const key = refKey(t, id);
				const had = known.get(key);
				if (had) return had;
				const stored = untouched(t, id, values, { inLine: false });
				if (this.still(plan, loader, zones).of(stored) === true) {
					known.set(key, values);
					return values;
				}
				const change = lookAt([stored], instant);
				const s = settle(plan, { ...change, onRequest: true }, loader, { zones, alone: true });
				if (s.needs.length) {
					this.needs.push(...s.needs);
					return undefined;
				}
				known.set(key, s.records[0].values);
				return s.records[0].values;
			}
		};
	}
}

/**
 * What a record would be if the standing claims ran on it now, and on the linked records of which it reads what
 * may come out otherwise.
 */
function standing(
	r: Rehearsing,
	plan: Plan,
	own: SubmittedRecord,
	loader: Loader,
	zones: ZoneClock
): Settled & { partly: boolean } {
	const records = [own];
	const have = new Set([refKey(own.type, own.id)]);
	for (;;) {
		const change = { ...lookAt(records, r.instant), onRequest: true };
		const s = settle(plan, change, loader, { zones, alone: true });
		if (s.needs.length) return { ...s, partly: false };
		// those that read nothing of the kind in their turn are given as they would be already
		const types = new Set(
			records.flatMap(({ type }) =>
				[...(r.near.get(type) ?? [])].filter((t) => type !== own.type || r.near.get(t)?.size)
			)
		);
		const fresh = types.size
			? s.read.filter((x) => types.has(x.type) && !have.has(refKey(x.type, x.id)))
			: [];
		if (!fresh.length) return { ...s, partly: false };
		if (records.length + fresh.length > MOST_NEAR) return { ...s, partly: true };
		for (const { type, id } of fresh) {
			have.add(refKey(type, id));
			const values = loader.record(type, id);
			if (values) records.push(untouched(type, id, values, { inLine: false }));
		}
	}
}

/**
 * Asks both rule sets what a record's standing values are; then, on these, what each would refuse, and which
 * messages the step from what is stored would send.
 * @param asked the fields that may come out otherwise ({@link askedOf})
 * @param linked shared by the records of one piece of work
 */
export function rehearseRecord(
	r: Rehearsing,
	type: string,
	record: Rehearsed,
	asked: readonly number[],
	linked: Linked,
	loader: Loader,
	zones: ZoneClock
): RehearsedRecord {
	const { differing, instant } = r;
	const out: RehearsedRecord = {
		needs: [],
		selected: true,
		moves: [],
		refused: [],
		sends: [],
		partly: false
	};
	const short = (needs: Need[]): RehearsedRecord => ({ ...out, needs });
	if (r.selector) {
		const takes = selects(r.selector, record, instant, loader, zones);
		if (typeof takes !== 'boolean') return short(takes);
		if (!takes) return { ...out, selected: false };
	}
	const checked = differing.checks.types.has(type);
	if (!asked.length && !checked) return out;
	const own = untouched(type, record.id, record.values, { inLine: false, added: record.added });
	const plans = [differing.before, differing.after];
	const loaders = plans.map((p) => linked.by(p, type, loader, zones));
	const both = plans.map((p, i) => standing(r, p, own, loaders[i], zones));
	const needs = [...both.flatMap((s) => s.needs), ...linked.lacked()];
	if (needs.length) return short(needs);
	out.partly = both.some((s) => s.partly);
	const [before, after] = both.map((s) => s.records[0]);
	for (const index of asked) {
		const [from, to] = [before.values[index], after.values[index]];
		if (same(from, to)) continue;
		const claim = by(after, index, r) ?? by(before, index, r);
		out.moves.push({ index, stored: record.values[index], from, to, claim });
	}
	if (checked) {
		const refusedBy = (i: number) => {
			const plan = i ? differing.checks.after : differing.checks.before;
			const settled = both[i].records.map((x) => untouched(x.type, x.id, x.values));
			const change = lookAt(settled, instant, 'full');
			const s = settle(plan, change, loaders[i], { zones, alone: true, everyCheck: true });
			needs.push(...s.needs, ...linked.lacked());
			return s.records[0].messages.filter((m) => m.blocking);
		};
		// most records are refused by nothing
		const refused = refusedBy(1);
		const had = new Set(refused.length ? refusedBy(0).map((m) => m.claim) : []);
		out.refused = refused.filter((m) => !had.has(m.claim));
	}
	const { messages, reach } = r.messages.types.get(type)!;
	const changed = out.moves.filter((m) => !same(m.stored, m.to));
	const runsOn = changed.some((m) => reach[m.index]?.length);
	if (changed.length && (messages.length || runsOn)) {
		const { fields } = r.messages.schema.type(type).type;
		const moved = fields.flatMap((f, i): [string, Value][] =>
			same(record.values[i], after.values[i]) ? [] : [[f.id, after.values[i]]]
		);
		const saved = untouched(type, record.id, record.values, {
			sent: new Map(moved),
			keep: new Set(moved.map(([f]) => f))
		});
		const options = { zones, alone: !runsOn, most: MOST_NEAR };
		const s = settle(r.messages, lookAt([saved], instant), loaders[1], options);
		needs.push(...s.needs, ...linked.lacked());
		out.partly ||= s.deferred.length > 0;
		out.sends = s.records.flatMap((x) =>
			x.sends.map((message) => ({ type: x.type, id: x.id, values: x.values, message }))
		);
	}
	return needs.length ? short(needs) : out;
}

/** What a look at a record takes: it is enough for most. */
export interface Glancing {
	/** What is read, by record type: the other values of these records have no part in it. */
	reads: FieldsRead;
	/** The sets of which it has to be known what rules added. */
	sets: readonly string[];
	/** What other records a record's rules come to at first, so that it can be loaded for many at once. */
	ahead(r: Rehearsed): Need[];
}

/** What a glance at records of a type takes: {@link glance}. */
export function glancing({ differing, selector }: Rehearsing, type: string): Glancing {
	const both = [differing.before, differing.after];
	const first = firstNeeds(both, type);
	const plans = [...both, differing.checks.after, ...(selector ? [selector.plan] : [])];
	return {
		reads: readByAny(plans.map(fieldsRead)),
		sets: addedTo(both, type),
		ahead: ({ values }) => first({ was: values })
	};
}

/**
 * Whether there is anything to tell of a record: whether both rule sets leave it as it is stored, and the later refuses
 * nothing in it. Costs a small part of {@link rehearseRecord}, which tells nothing of one that is *unmoved*.
 * @returns what is missing to tell it, where anything is
 */
export function glance(
	r: Rehearsing,
	type: string,
	record: Rehearsed,
	linked: Linked,
	loader: Loader,
	zones: ZoneClock
): 'not selected' | 'unmoved' | 'to be rehearsed' | Need[] {
	const { differing, instant } = r;
	if (r.selector) {
		const takes = selects(r.selector, record, instant, loader, zones);
		if (typeof takes !== 'boolean') return takes;
		if (!takes) return 'not selected';
	}
	const own = untouched(type, record.id, record.values, { inLine: false, added: record.added });
	const loaders = [differing.before, differing.after].map((p) => linked.by(p, type, loader, zones));
	const unmoved = linked.unmoved(own, loaders, zones);
	if (unmoved === false) return 'to be rehearsed';
	if (unmoved !== true) return unmoved;
	if (!differing.checks.types.has(type)) return 'unmoved';
	const stored = lookAt([untouched(type, record.id, record.values)], instant, 'full');
	const options = { zones, alone: true, everyCheck: true };
	const { records, needs } = settle(differing.checks.after, stored, loaders[1], options);
	const missing = [...needs, ...linked.lacked()];
	if (missing.length) return missing;
	return records[0].messages.some((m) => m.blocking) ? 'to be rehearsed' : 'unmoved';
}

/** The claim that wrote a field. */
function by(rec: SettledRecord, index: number, { differing }: Rehearsing): string | null {
	const { id } = differing.after.schema.type(rec.type).type.fields[index];
	return rec.changes.find((c) => c.field === id)?.claim ?? null;
}
