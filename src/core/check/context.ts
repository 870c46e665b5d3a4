/** What the parts of the analysis share: the plan, trying records on it, and what is said in common. */
import type { JsonValue } from '../fields/codec';
import { toJson } from '../fields/codec';
import type { Field, Schema } from '../document/model';
import type { Rule } from '../document/rules';
import { claimId } from '../document/rules';
import { sheetOf } from '../kinds';
import type { FindingIs, Gravity } from '../kinds/catalogue';
import { FINDINGS } from '../kinds/catalogue';
import type { Given, Place, Witness } from '../kinds/spec';
import type { Claim, MessageRule, Plan, PlanNode, Validator } from '../plan/plan';
import type { Outcome } from '../settle/settle';
import type { ZoneClock } from '../value/temporal';
import type { Expr } from '../document/tree';
import type { Value } from '../value/value';
import { same } from '../value/value';
import { candidates } from './candidates';
import type { Axis } from '../spots/cells';
import { axesOf, combinations, sameSpot } from '../spots/cells';
import { exprOf, guardType } from './formulas';
import { bodyParts } from './guards';
import { Probe } from './probe';
import type { Finding, NotAnalysed } from './types';

/** Most situations in which one finding is tried. */
const MOST_SITUATIONS = 300;

/** What every finding of a rule has in common. @param at tells it from the others of its kind in the rule */
export function ofRule(rule: Rule, is: FindingIs, place: Place, at = '') {
	const what = `${is} ${at}`.trim();
	return {
		is,
		severity: FINDINGS[is].gravity as Gravity,
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

const toRead = (g: Given) => ({ spot: g.spot, constants: g.constants ?? [] });

/**
 * Axes with the given values first; a field that is given varies only among what is alike. Others
 * begin with blank, so that a record that shows something says no more than it must.
 */
function preferring(axes: readonly Axis[], given: readonly Given[]): Axis[] {
	return axes.map((a) => {
		const g = given.find((x) => sameSpot(x.spot, a.spot));
		if (!g) return { ...a, values: [null, ...a.values.filter((v) => v !== null)] };
		const others = a.values.filter((v) => !same(v, g.value) && g.alike?.(v));
		return { ...a, values: [g.value, ...others] };
	});
}

/** The first combinations as records. */
function* firstOf(
	probe: Probe,
	type: string,
	axes: readonly Axis[],
	given: readonly Given[]
): Generator<Witness> {
	let n = 0;
	for (const values of combinations(axes)) {
		if (n++ === MOST_SITUATIONS) return;
		// what is blank and was not asked for needs no word
		const told = axes
			.map((_, i) => i)
			.filter((i) => values[i] !== null || given.some((g) => sameSpot(g.spot, axes[i].spot)));
		yield probe.witness(
			type,
			told.map((i) => axes[i]),
			told.map((i) => values[i])
		);
	}
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
		return guardType(rule, this.schema);
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
	 * null when none shows it. It is tried in every situation that the rule's condition, and what
	 * stands above it in the claim order, can tell apart; where these do more than compare fields with
	 * constants, in some, and what then does not show is noted as not analysed.
	 * @param what for the note: what would not be known
	 * @param elsewhere other values that would show the same, where the given ones cannot
	 */
	show(
		rule: Rule,
		given: readonly Given[],
		outcomes: readonly Outcome[],
		what: string,
		elsewhere?: (values: readonly Value[]) => boolean
	): Witness | null {
		if (!rule.moments.some((m) => m !== 'request')) {
			this.notAnalysed(rule, `It runs on request only, so ${what} is not tried.`);
			return null;
		}
		const { probe } = this;
		const shows = (w: Witness) => {
			probe.setOff(rule, w);
			const { reports } = probe.run(rule.type, w);
			return reports.some((r) => r.rule === rule.id && outcomes.includes(r.outcome));
		};
		const near = this.situations(rule, given);
		for (const w of near.witnesses) if (shows(w)) return w;
		const any = given.map((g) => ({ ...g, alike: () => true }));
		const far = elsewhere ? this.situations(rule, any) : null;
		for (const w of far?.witnesses ?? [])
			if (elsewhere!(given.map((g) => probe.valueAt(w, g.spot))) && shows(w)) return w;
		if (!near.all || far?.all === false)
			this.notAnalysed(
				rule,
				`Its condition, or a rule above it, does more than compare fields with constants; no record was found that shows ${what}.`
			);
		return null;
	}

	/** Records with given values in which a rule's condition, and those above it, come out differently. */
	private situations(
		rule: Rule,
		given: readonly Given[]
	): { witnesses: Iterable<Witness>; all: boolean } {
		const { probe, schema } = this;
		const [output] = rule.outputs;
		const node = output && this.nodeOf(rule.type, output.field);
		const place = node?.claims.findIndex((c) => c.rule.id === rule.id) ?? -1;
		const above = node?.claims.slice(0, Math.max(place, 0)) ?? [];
		const axes = this.situationAxes(rule, above, given);
		if (axes) {
			const all = axes.reduce((n, a) => n * a.values.length, 1) <= MOST_SITUATIONS;
			return { witnesses: firstOf(probe, rule.type, axes, given), all };
		}
		const claim = node?.claims[place];
		const tried = claim ? candidates(probe, claim, node) : [];
		const plain = axesOf(schema, [], [], given.map(toRead)) ?? [];
		for (const w of tried) for (const g of given) probe.put(w, rule.type, g.spot, toJson(g.value));
		return {
			witnesses: [...firstOf(probe, rule.type, preferring(plain, given), given), ...tried],
			all: false
		};
	}

	/** What the situations vary: given values first as they are, then others alike. Null when that is not known. */
	private situationAxes(
		rule: Rule,
		above: readonly Claim[],
		given: readonly Given[]
	): Axis[] | null {
		const truths: Expr[] = [];
		const values: Expr[] = [];
		const read = given.map(toRead);
		for (const r of [rule, ...above.map((c) => c.rule)]) {
			if (!r.guard) continue;
			const e = exprOf(this, r.type, r.guard);
			if (!e || r.each) return null;
			truths.push(e);
		}
		for (const c of above) {
			if (c.output.none !== 'next') continue;
			const parts = bodyParts(this.probe, c.rule, c.rule.outputs.indexOf(c.output));
			if (!parts) return null;
			values.push(...parts.values);
			read.push(...parts.read);
		}
		const axes = axesOf(this.schema, truths, values, read);
		return axes && preferring(axes, given);
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
