/** What the parts of the analysis share: the plan, trying records on it, and what is said in common. */
import type { JsonValue } from '../model/codec';
import { toJson } from '../model/codec';
import type { Field, Schema } from '../model/model';
import type { Rule } from '../model/rules';
import { claimId, sheetOf } from '../model/rules';
import type { Claim, MessageRule, Place, Plan, PlanNode, Validator } from '../plan/plan';
import type { Outcome } from '../settle/settle';
import type { ZoneClock } from '../value/temporal';
import type { Value } from '../value/value';
import { candidates } from './candidates';
import type { Axis, Spot } from './cells';
import { axesOf, combinations } from './cells';
import { exprOf } from './formulas';
import type { Witness } from './probe';
import { Probe } from './probe';
import type { Finding, NotAnalysed } from './types';

/** Most situations in which one finding is tried. */
const MOST_SITUATIONS = 300;

/** What every finding of a rule has in common. @param what tells it from the others of the rule */
export function ofRule(rule: Rule, place: Place, what: string) {
	return {
		id: `${rule.id}-${what.replace(/[^a-z0-9]+/gi, '-')}`.toLowerCase(),
		part: { kind: 'rule' as const, id: rule.id },
		rule: rule.id,
		type: rule.type,
		field: sheetOf(rule),
		place
	};
}

/** A witness as a finding carries it. */
export function carried(w: Witness): Pick<Finding, 'witness' | 'near' | 'was' | 'entryPoint'> {
	return {
		witness: w.values,
		...(w.near.length ? { near: w.near } : {}),
		...(w.was ? { was: w.was } : {}),
		...(w.entryPoint ? { entryPoint: w.entryPoint } : {})
	};
}

export class Context {
	readonly schema: Schema;
	readonly probe: Probe;
	readonly open: NotAnalysed[] = [];

	constructor(
		readonly plan: Plan,
		readonly zones: ZoneClock
	) {
		this.schema = plan.schema;
		this.probe = new Probe(plan, zones);
	}

	/** Takes note of what could not be analysed. */
	notAnalysed(rule: Rule, message: string) {
		this.open.push({ rule: rule.id, type: rule.type, field: sheetOf(rule), message });
	}

	/** A claim, Validate rule or message of a rule: what its guard is compiled to. */
	compiled(rule: Rule): Claim | Validator | MessageRule | undefined {
		const id = claimId(rule.id, rule.outputs[0]?.id ?? '');
		const { claims, validators, messages } = this.plan;
		return claims.get(id) ?? validators.get(id) ?? messages.find((m) => m.rule.id === rule.id);
	}

	/** The record type whose fields a guard speaks of: that of the record at which the rule is set off. */
	guardType(rule: Rule): string {
		return (rule.each && this.schema.field(rule.type, rule.each)?.target) || rule.type;
	}

	nodeOf(type: string, field: string): PlanNode | undefined {
		const t = this.plan.types.get(type);
		const i = this.schema.types.get(type)?.at.get(field);
		const node = t && i !== undefined ? t.position[i] : -1;
		return node >= 0 ? this.plan.nodes[node] : undefined;
	}

	/** Whether a rule without a result leaves its field to another rule behind it. */
	passesOn(rule: Rule): boolean {
		const [output] = rule.outputs;
		const claims = (output && this.nodeOf(rule.type, output.field)?.claims) ?? [];
		const place = claims.findIndex((c) => c.rule.id === rule.id);
		return output?.none === 'next' && place >= 0 && place < claims.length - 1;
	}

	/**
	 * A record in which a rule meets given values and does one of some things, run through the engine;
	 * null when none shows it. It is tried in every situation that the rule's condition, and those
	 * of the rules above it, can tell apart; where they do more than compare fields with constants,
	 * in some, and what then does not show is noted as not analysed.
	 * @param what for the note: what would not be known
	 */
	show(
		rule: Rule,
		fixed: readonly { spot: Spot; value: Value }[],
		outcomes: readonly Outcome[],
		what: string
	): Witness | null {
		if (!rule.moments.some((m) => m !== 'request')) {
			this.notAnalysed(rule, `It runs on request only, so ${what} is not tried.`);
			return null;
		}
		const { probe } = this;
		const tried = this.situations(rule, fixed);
		for (const w of tried.witnesses) {
			for (const f of fixed) probe.put(w, rule.type, f.spot, toJson(f.value));
			probe.setOff(rule, w);
			const { reports } = probe.run(rule.type, w);
			if (reports.some((r) => r.rule === rule.id && outcomes.includes(r.outcome))) return w;
		}
		if (!tried.all)
			this.notAnalysed(
				rule,
				`Its condition, or one above it, does more than compare fields with constants; no record was found that shows ${what}.`
			);
		return null;
	}

	/** Records in which the conditions of a rule and of those above it come out differently. */
	private situations(
		rule: Rule,
		fixed: readonly { spot: Spot }[]
	): { witnesses: Witness[]; all: boolean } {
		const { probe } = this;
		const [output] = rule.outputs;
		const claims = (output && this.nodeOf(rule.type, output.field)?.claims) ?? [];
		const place = claims.findIndex((c) => c.rule.id === rule.id);
		const guards = [rule, ...claims.slice(0, Math.max(place, 0)).map((c) => c.rule)]
			.filter((r) => r.guard)
			.map((r) => exprOf(probe, r.type, r.guard));
		if (!guards.length) return { witnesses: [{ values: {}, near: [] }], all: true };
		const known = guards.filter((g) => g !== null);
		const axes = known.length === guards.length ? axesOf(this.schema, known) : null;
		if (axes) {
			// the values at stake are given, so only the rest varies
			const same = (a: Axis) =>
				fixed.some((f) => f.spot.field === a.spot.field && f.spot.via.length === a.spot.via.length);
			const rest = axes.filter((a) => !same(a));
			const witnesses: Witness[] = [];
			for (const values of combinations(rest)) {
				if (witnesses.length === MOST_SITUATIONS) return { witnesses, all: false };
				witnesses.push(probe.witness(rule.type, rest, values));
			}
			return { witnesses, all: true };
		}
		const claim = claims[place];
		const node = output && this.nodeOf(rule.type, output.field);
		return { witnesses: claim ? candidates(probe, claim, node) : [], all: false };
	}

	/** A value of a field in words. */
	say(field: Field | undefined, v: Value | JsonValue): string {
		if (v === null) return 'blank';
		if (typeof v === 'boolean') return v ? 'yes' : 'no';
		return field?.list && typeof v === 'string'
			? (this.schema.option(field.list, v)?.label ?? v)
			: String(v);
	}
}
