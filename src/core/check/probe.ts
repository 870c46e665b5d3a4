/** Runs witnesses through the engine: a finding is only made when the engine shows it. */
import { EVALUATION_STEPS } from '../feel/budget';
import type { Env, RecordView, Run } from '../feel/env';
import type { JsonValue } from '../fields/codec';
import { fromJson, toJson } from '../fields/codec';
import type { Schema } from '../document/model';
import type { EntryPoint, Rule } from '../document/rules';
import type { Plan, PlanNode } from '../plan/plan';
import type { SettledRecord } from '../settle/settle';
import { settle } from '../settle/settle';
import { recordsLoader, valuesFromJson } from '../trials/records';
import type { Witness } from '../kinds/spec';
import type { ZoneClock } from '../value/temporal';
import { LocalDate, Moment } from '../value/temporal';
import type { Value } from '../value/value';
import type { Axis, Spot } from '../spots/cells';
import { stretches } from '../spots/cells';

/** Numbers of records made up for a witness; no real record comes near. */
const FIRST_MADE_UP = 900_000_000_000_000;
/** The number of the record of a witness itself. */
export const OWN_ID = String(FIRST_MADE_UP - 1);

/** The day on which witnesses are tried. */
export const PROBE_DAY = '2026-11-23';
/** Milliseconds since 1970 UTC. */
export const PROBE_INSTANT = Date.parse(`${PROBE_DAY}T09:00:00Z`);

/** Steps that looking for one thing at a rule may take, and all that is looked for at it. */
const LOOK_STEPS = 4_000_000;
const RULE_STEPS = 12_000_000;

/** Trying on records took more steps than are allowed. */
export class TooMuch extends Error {}

/** The steps of analysing one rule. They are counted, not timed, so that it says the same on every machine. */
export class Effort {
	private ofLook = LOOK_STEPS;
	private ofRule = RULE_STEPS;

	nextLook() {
		this.ofLook = LOOK_STEPS;
	}

	/** @throws {TooMuch} when none are left */
	take(steps: number) {
		this.ofLook -= steps;
		this.ofRule -= steps;
		if (this.ofLook < 0 || this.ofRule < 0) throw new TooMuch();
	}
}

export class Probe {
	readonly schema: Schema;
	/** What was handed out last, to see what was taken of it. */
	private last: Env | null = null;

	constructor(
		readonly plan: Plan,
		readonly zones: ZoneClock,
		readonly effort = new Effort()
	) {
		this.schema = plan.schema;
	}

	/** The same with the rules of one field only. */
	only(type: string, node: PlanNode): Probe {
		const { plan } = this;
		const t = plan.types.get(type)!;
		const n = plan.nodes.indexOf(node);
		const types = new Map(plan.types);
		types.set(type, { ...t, nodes: [n], locked: [n], validators: [], messages: [] });
		return new Probe({ ...plan, types, reach: new Map() }, this.zones, this.effort);
	}

	/** The record of a combination of values. */
	witness(type: string, axes: readonly Axis[], values: readonly Value[]): Witness {
		const out: Witness = { values: {}, near: [] };
		axes.forEach(({ spot }, i) => this.put(out, type, spot, toJson(values[i])));
		return out;
	}

	/** Puts a value where a spot reads it; the linked records on the way are made up. */
	put(w: Witness, type: string, spot: Spot, value: JsonValue): void {
		let own = w.values;
		for (const step of spot.via) {
			const { target } = this.schema.field(step.type, step.field)!;
			let id = own[step.field] as string | null | undefined;
			let linked = w.near.find((r) => r.type === target && r.id === id);
			if (!linked) {
				id = String(FIRST_MADE_UP + w.near.length);
				linked = { type: target!, id, values: {} };
				w.near.push(linked);
				own[step.field] = id;
			}
			own = linked.values;
		}
		if (spot.field.type === 'link' && value !== null) {
			// a link that is only asked whether it is there
			if (typeof own[spot.field.id] === 'string') return;
			const id = String(FIRST_MADE_UP + w.near.length);
			w.near.push({ type: spot.field.target!, id, values: {} });
			own[spot.field.id] = id;
			return;
		}
		if (spot.field.type === 'link' && typeof own[spot.field.id] === 'string') return;
		own[spot.field.id] = value;
	}

	/** The value that a spot reads in a witness; blank where a link on the way is. */
	read(w: Witness, spot: Spot): JsonValue {
		let own = w.values;
		for (const step of spot.via) {
			const { target } = this.schema.field(step.type, step.field)!;
			const linked = w.near.find((r) => r.type === target && r.id === own[step.field]);
			if (!linked) return null;
			own = linked.values;
		}
		return own[spot.field.id] ?? null;
	}

	/** The same as a value. */
	valueAt(w: Witness, spot: Spot): Value {
		const r = fromJson(spot.field, this.read(w, spot), this.schema);
		return r.ok ? r.value : null;
	}

	/**
	 * Makes a witness come in so that it sets a rule off: as a change where the rule takes no new
	 * records, by a road that it takes, and with a field that it watches.
	 */
	setOff(rule: Rule, w: Witness): void {
		if (rule.entryPoints?.length && !rule.entryPoints.includes('full'))
			w.entryPoint = rule.entryPoints[0];
		const { type } = this.schema.type(rule.type);
		const some = (id: string): JsonValue => {
			const f = type.fields.find((x) => x.id === id);
			const v = f && stretches(f, [], this.schema)?.find((x) => x !== null);
			return v === undefined ? null : toJson(v);
		};
		if (!rule.moments.includes('created')) {
			w.was = {};
			// what becomes blank held something before
			for (const [id, v] of Object.entries(w.values)) if (v === null) w.was[id] = some(id);
		}
		if (!rule.watch?.length || rule.each) return;
		if (rule.watch.some((id) => (w.values[id] ?? null) !== (w.was?.[id] ?? null))) return;
		const [first] = rule.watch;
		// what is to be blank becomes so, where the rule takes changes
		if (first in w.values && rule.moments.includes('changed'))
			w.was = { ...w.was, [first]: some(first) };
		else w.values = { ...w.values, [first]: some(first) };
	}

	/** Settles a witness as a new record, or as a change of a stored one. */
	run(
		type: string,
		w: Witness,
		more: {
			was?: Record<string, JsonValue> | null;
			entryPoint?: EntryPoint;
			instant?: number;
			inLine?: boolean;
			/** What the fields may be is asked for too. */
			states?: boolean;
		} = {}
	): SettledRecord {
		const { was = w.was ?? null, entryPoint = w.entryPoint ?? 'full' } = more;
		const { instant = PROBE_INSTANT, inLine = true } = more;
		const sent = new Map<string, Value>();
		for (const [id, v] of Object.entries(w.values)) {
			const f = this.schema.field(type, id);
			const r = f && fromJson(f, v, this.schema);
			if (r?.ok) sent.set(id, r.value);
		}
		const near = w.near.map((r) => ({
			...r,
			values: valuesFromJson(this.schema, r.type, r.values)
		}));
		const record = {
			type,
			id: OWN_ID,
			created: was === null,
			was: valuesFromJson(this.schema, type, was ?? {}),
			sent,
			keep: 'touched' as const,
			inLine
		};
		const change = { records: [record], entryPoint, instant, person: null };
		const options = {
			explain: 'outcomes',
			alone: true,
			zones: this.zones,
			states: more.states
		} as const;
		const done = settle(this.plan, change, recordsLoader(this.schema, near), options);
		this.effort.take(done.steps);
		return done.records[0];
	}

	/** Whether the condition of a rule holds for a witness that no rule has touched. */
	inEffect(type: string, w: Witness, v: { guard: Run | null }): boolean {
		if (!v.guard) return true;
		try {
			return v.guard(this.env(type, w)) === true;
		} catch {
			return false;
		}
	}

	/** What a guard or a body runs in, over a witness that no rule has touched. */
	env(type: string, w: Witness): Env {
		if (this.last) this.effort.take(EVALUATION_STEPS - this.last.steps);
		const view = (t: string, id: string, json: Record<string, JsonValue>): RecordView => {
			const values = valuesFromJson(this.schema, t, json);
			return { type: t, id, was: values, sent: values, settled: values };
		};
		const own = view(type, OWN_ID, w.values);
		const { zone } = this.schema.model;
		const now = Moment.fromInstant(PROBE_INSTANT, zone, this.zones)!;
		this.last = {
			rec: w.was ? { ...own, was: valuesFromJson(this.schema, type, w.was) } : own,
			input: null,
			vars: [],
			now,
			today: LocalDate.fromEpochDay(now.date.epochDay)!,
			person: null,
			entryPoint: 'full',
			zone,
			zones: this.zones,
			record: (t, id) => {
				const r = w.near.find((x) => x.type === t && x.id === id);
				return r ? view(t, id, r.values) : null;
			},
			related: () => [],
			matching: () => [],
			steps: EVALUATION_STEPS,
			depth: 0
		};
		return this.last;
	}
}
