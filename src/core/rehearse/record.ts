/** One record that exists, as two rule sets would have it: nothing is written, no message leaves. */
import type { Differing } from '../compare/differing';
import { refKey } from '../document/model';
import { planOf, type Plan } from '../plan/plan';
import type { Outgoing } from '../settle/outgoing';
import { settle } from '../settle/settle';
import type { Loader, Message, Need, SettledRecord } from '../settle/types';
import type { ZoneClock } from '../value/temporal';
import { same, type Value } from '../value/value';
import { lookAtOne, selects, untouched, type Selector } from './select';

/** What a rehearsal holds against each other, compiled once for all records. */
export interface Rehearsing {
	differing: Differing;
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
	return { differing, messages, selector, instant };
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
	/** What would leave if the record were saved with the values that the later rules give. */
	sends: Outgoing[];
}

/** The fields of a type (indices) that may come out otherwise. */
export function askedOf({ differing }: Rehearsing, type: string): number[] {
	const { fields } = differing.after.schema.type(type).type;
	return fields.flatMap((f, i) => (differing.fields.has(refKey(type, f.id)) ? [i] : []));
}

/**
 * Asks both rule sets what a record's standing values are; then, on these, what each would refuse, and which
 * messages the step from what is stored would send.
 * @param asked the fields that may come out otherwise ({@link askedOf})
 */
export function rehearseRecord(
	r: Rehearsing,
	type: string,
	record: Rehearsed,
	asked: readonly number[],
	loader: Loader,
	zones: ZoneClock
): RehearsedRecord {
	const { differing, instant } = r;
	const out: RehearsedRecord = { needs: [], selected: true, moves: [], refused: [], sends: [] };
	const short = (needs: Need[]): RehearsedRecord => ({ ...out, needs });
	if (r.selector) {
		const takes = selects(r.selector, record, instant, loader, zones);
		if (typeof takes !== 'boolean') return short(takes);
		if (!takes) return { ...out, selected: false };
	}
	const checked = differing.checks.types.has(type);
	if (!asked.length && !checked) return out;
	const standing = (plan: Plan) => {
		const one = untouched(type, record.id, record.values, { inLine: false, added: record.added });
		return settle(plan, { ...lookAtOne(one, instant), onRequest: true }, loader, { zones });
	};
	const both = [differing.before, differing.after].map(standing);
	const needs = both.flatMap((s) => s.needs);
	if (needs.length) return short(needs);
	const [before, after] = both.map((s) => s.records[0]);
	for (const index of asked) {
		const [from, to] = [before.values[index], after.values[index]];
		if (same(from, to)) continue;
		const claim = by(after, index, r) ?? by(before, index, r);
		out.moves.push({ index, stored: record.values[index], from, to, claim });
	}
	if (checked) {
		const refusals = [before, after].map(({ values }, i) => {
			const plan = i ? differing.checks.after : differing.checks.before;
			const change = lookAtOne(untouched(type, record.id, values), instant, 'full');
			const s = settle(plan, change, loader, { zones, alone: true, everyCheck: true });
			needs.push(...s.needs);
			return s.records[0].messages.filter((m) => m.blocking);
		});
		const had = new Set(refusals[0].map((m) => m.claim));
		out.refused = refusals[1].filter((m) => !had.has(m.claim));
	}
	if (r.messages.types.get(type)!.messages.length && out.moves.some((m) => !same(m.stored, m.to))) {
		const { fields } = r.messages.schema.type(type).type;
		const moved = fields.flatMap((f, i): [string, Value][] =>
			same(record.values[i], after.values[i]) ? [] : [[f.id, after.values[i]]]
		);
		const saved = untouched(type, record.id, record.values, {
			sent: new Map(moved),
			keep: new Set(moved.map(([f]) => f))
		});
		const s = settle(r.messages, lookAtOne(saved, instant), loader, { zones, alone: true });
		needs.push(...s.needs);
		out.sends = s.records[0].sends;
	}
	return needs.length ? short(needs) : out;
}

/** The claim that wrote a field. */
function by(rec: SettledRecord, index: number, { differing }: Rehearsing): string | null {
	const { id } = differing.after.schema.type(rec.type).type.fields[index];
	return rec.changes.find((c) => c.field === id)?.claim ?? null;
}
