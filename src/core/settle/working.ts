/** A record while a change settles. */
import { hold } from '../fields/codec';
import type { RecordView } from '../feel/env';
import { refusesWhenFailing } from '../kinds';
import type { Schema } from '../document/model';
import type { Claim, Plan, PlanNode, TypePlan, Validator } from '../plan/plan';
import type { ZoneClock } from '../value/temporal';
import { Moment } from '../value/temporal';
import type { Value } from '../value/value';
import { isBlank, isList, same } from '../value/value';
import type { Outgoing } from './outgoing';
import type { ClaimReport, SettledRecord, SettleOptions, SubmittedRecord } from './types';

export interface Working extends RecordView {
	settled: Value[];
	sent: Value[];
	submitted: SubmittedRecord;
	/** The rules that decide it, and what they are for its type. */
	rules: Plan;
	plan: TypePlan;
	/** When each field got its value, in touches: 0 for what was just sent, Infinity for what is kept. */
	readonly stamps: number[];
	/** 1 for each field whose settled value differs from the stored one. */
	readonly changed: number[];
	/** 1 for each field that somebody sent, and the list of them. */
	readonly given: number[];
	readonly sentAt: number[];
	/** The claim that wrote each field last in this change. */
	readonly wrote: (string | null)[];
	/** Fields (`type.field`) of other records whose change reached this one. */
	touched: Set<string> | null;
	out: Result;
	outcomes: Map<string, ClaimReport> | null;
}

/** What one record becomes. A class, so that its reports are made only where somebody reads them. */
class Result implements SettledRecord {
	readonly changes: SettledRecord['changes'] = [];
	readonly setAside: SettledRecord['setAside'] = [];
	readonly failures: SettledRecord['failures'] = [];
	readonly messages: SettledRecord['messages'] = [];
	added = NOTHING_LIMITED;
	readOnly = NOTHING_RESTRICTED;
	sends = NOTHING_SENT;
	required = NONE;
	hidden = NONE;
	limited = NOTHING_LIMITED;
	pilot = false;
	#made: ClaimReport[] | null = null;
	/** Makes the reports, where they were asked for. */
	tell: (() => ClaimReport[]) | null = null;

	constructor(
		readonly type: string,
		readonly id: string,
		readonly created: boolean,
		readonly reached: boolean,
		readonly was: readonly Value[],
		readonly values: readonly Value[]
	) {}

	get reports(): ClaimReport[] {
		return (this.#made ??= this.tell?.() ?? []);
	}
}

/** A list of options, or one option as a list of one. */
export const listOf = (v: Value): readonly string[] =>
	isList(v) ? (v as readonly string[]) : typeof v === 'string' ? [v] : [];
/** What a body without a result is called in a report. */
export const WITHOUT = {
	'no row': 'no row',
	blank: 'blank',
	null: 'no result',
	several: 'several rows'
} as const;
const NOTHING_RESTRICTED: ReadonlyMap<string, string> = new Map();
const NOTHING_LIMITED: ReadonlyMap<string, readonly string[]> = new Map();
const NONE: ReadonlySet<string> = new Set();
const NOTHING_SENT: Outgoing[] = [];

/**
 * Values whose moments are on the workspace's clock, whatever clock they came on: the same array
 * where they are. A moment is an instant; this decides which day and hour formulas see in it.
 */
export function onOurClock(schema: Schema, zones: ZoneClock, values: readonly Value[]) {
	const { zone } = schema.model;
	let out: Value[] | null = null;
	for (let i = 0; i < values.length; i++) {
		const v = values[i];
		if (!(v instanceof Moment)) continue;
		const ours = v.in(zone, zones);
		if (ours !== v) (out ??= values.slice())[i] = ours;
	}
	return out ?? values;
}

/** A record as a change begins on it. */
export function open(
	plan: Plan,
	r: SubmittedRecord,
	reached: boolean,
	{ explain, zones }: SettleOptions
): Working {
	const { at, type } = plan.schema.type(r.type);
	const { zone } = plan.schema.model;
	const was = onOurClock(plan.schema, zones, r.was);
	const sent: Value[] = r.removed ? was.map(() => null) : was.slice();
	const of = plan.types.get(r.type)!;
	// copies of one array: made several times faster than filled, and than typed ones
	const stamps = of.zeros.slice();
	const changed = of.zeros.slice();
	const given = of.zeros.slice();
	const sentAt: number[] = [];
	let touch = 0;
	for (const [id, v] of r.sent) {
		const i = at.get(id);
		if (i === undefined) continue;
		const held = hold(type.fields[i], v);
		sent[i] = held instanceof Moment ? held.in(zone, zones) : held;
		if (!given[i]) sentAt.push(i);
		given[i] = 1;
		stamps[i] = r.keep === 'touched' ? ++touch : r.keep.has(id) ? Infinity : 0;
		if (!same(sent[i], was[i])) changed[i] = 1;
	}
	if (r.removed) was.forEach((v, i) => (changed[i] = isBlank(v) ? 0 : 1));
	const settled = sent.slice();
	return {
		type: r.type,
		id: r.id,
		rules: plan,
		plan: of,
		was,
		sent,
		settled,
		submitted: r,
		stamps,
		changed,
		given,
		sentAt,
		wrote: of.nobody.slice(),
		touched: r.touched ? new Set(r.touched) : null,
		outcomes: explain ? new Map() : null,
		out: new Result(r.type, r.id, r.created, reached, was, settled)
	};
}

/** A claim that failed: the change goes through without it, or is refused where the author chose that. */
export function fail(rec: Working, c: Claim, message: string) {
	const field = c.field.id;
	rec.out.failures.push({ claim: c.id, field, message });
	if (refusesWhenFailing(c.rule)) rec.out.messages.push(failed(c, message));
}

/**
 * A check or a limit that failed, or its condition: it is told once. One that would refuse a change
 * refuses this one, unless its author chose otherwise: what cannot be checked is not taken for right.
 */
export function failValidator(rec: Working, v: Validator, message: string) {
	const field = v.field.id;
	if (rec.out.failures.some((f) => f.claim === v.id)) return;
	rec.out.failures.push({ claim: v.id, field, message });
	if (refusesWhenFailing(v.rule)) rec.out.messages.push(failed(v, message));
}

/** What is said of a rule whose failure refuses the change. */
const failed = (c: Claim | Validator, message: string) => ({
	field: c.field.id,
	claim: c.id,
	text: `“${c.rule.name}” failed: ${message}`,
	blocking: true
});

/** A rule writes a field. */
export function write(rec: Working, node: PlanNode, value: Value, c: Claim | Validator) {
	const i = node.index;
	rec.settled[i] = value;
	rec.wrote[i] = c.id;
	rec.changed[i] = same(value, rec.was[i]) ? 0 : 1;
}
