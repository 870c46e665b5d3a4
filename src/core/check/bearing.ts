/**
 * Which rules bear on what the analysis says of one. A rule is analysed with these alone, so what is
 * said of it can be kept until one of them changes, and is by construction what analysing all would say.
 */
import type { Schema } from '../document/model';
import { refKey } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { claimId } from '../document/rules';
import { writerOf } from '../kinds';
import type { Claim, MessageRule, Plan, Seen, Validator } from '../plan/plan';

/** What a rule reads and writes, by `type.field`. */
interface Traffic {
	reads: string[];
	writes: string[];
	/** It gives values or says which are allowed: it comes before the field is settled. */
	shapes: boolean;
	/** A check that refuses. */
	refuses: boolean;
}

/** What rules were seen to read and write, by the model they were compiled for. */
const known = new WeakMap<Rule, { schema: Schema; traffic: Traffic }>();

export class Bearing {
	private readonly traffic = new Map<Rule, Traffic>();
	/** By `type.field`: the rules that say what it holds, and those that judge what it holds. */
	private readonly shaping = new Map<string, Rule[]>();
	private readonly judging = new Map<string, Rule[]>();
	/** Checks that refuse, by what they read. */
	private readonly refusing = new Map<string, Rule[]>();

	/** @param plan the rule set, compiled; rules with problems and those switched off bear on nothing */
	constructor(
		private readonly plan: Plan,
		private readonly set: RuleSet
	) {
		const broken = new Set(plan.problems.map((p) => p.rule));
		const add = (to: Map<string, Rule[]>, key: string, rule: Rule) => {
			const had = to.get(key);
			if (had) had.push(rule);
			else to.set(key, [rule]);
		};
		const messages = new Map(plan.messages.map((m) => [m.rule.id, m]));
		for (const rule of set.rules) {
			if (rule.off || broken.has(rule.id)) continue;
			// what a rule reads and writes is its own, whatever other rules there are
			const had = known.get(rule);
			const t =
				had?.schema === plan.schema ? had.traffic : this.trafficOf(rule, messages.get(rule.id));
			if (had?.traffic !== t) known.set(rule, { schema: plan.schema, traffic: t });
			this.traffic.set(rule, t);
			for (const key of t.writes) add(t.shapes ? this.shaping : this.judging, key, rule);
			if (t.refuses) for (const key of t.reads) add(this.refusing, key, rule);
		}
	}

	/** The rules that can be analysed, in the order of the set. */
	get rules(): Iterable<Rule> {
		return this.traffic.keys();
	}

	/**
	 * The rule itself; what writes, limits and judges its fields; what comes before those, by what they
	 * read, however far; and for a check that refuses, the others that read what it reads. In the order
	 * of the set, with every field (`type.field`) that has a part in it.
	 */
	of(rule: Rule): { rules: Rule[]; fields: ReadonlySet<string> } {
		const fields = new Set<string>();
		const found = new Set<Rule>();
		const open: string[] = [];
		const take = (r: Rule) => {
			if (found.has(r)) return;
			found.add(r);
			const t = this.traffic.get(r)!;
			open.push(...t.reads, ...t.writes);
		};
		take(rule);
		const own = this.traffic.get(rule)!;
		for (const key of own.writes) this.judging.get(key)?.forEach(take);
		if (own.refuses) for (const key of own.reads) this.refusing.get(key)?.forEach(take);
		for (let key = open.pop(); key !== undefined; key = open.pop()) {
			if (fields.has(key)) continue;
			fields.add(key);
			this.shaping.get(key)?.forEach(take);
		}
		return { rules: this.set.rules.filter((r) => found.has(r)), fields };
	}

	private trafficOf(rule: Rule, message: MessageRule | undefined): Traffic {
		const { plan } = this;
		const { schema } = plan;
		const parts: (Claim | Validator | MessageRule)[] = message ? [message] : [];
		let [shapes, refuses] = [false, false];
		for (const o of rule.outputs) {
			const id = claimId(rule.id, o.id);
			const [claim, v] = [plan.claims.get(id), plan.validators.get(id)];
			if (claim) parts.push(claim);
			if (v) parts.push(v);
			shapes ||= !!claim || v?.kind === 'limited' || v?.kind === 'read-only';
			refuses ||= v?.kind === 'check' && v.blocking;
		}
		const reads = new Set<string>();
		const seen = (r: Pick<Seen, 'type' | 'field' | 'via'>) => {
			reads.add(refKey(r.type, r.field));
			for (const v of r.via) reads.add(refKey(v.type, v.field));
		};
		for (const p of parts) {
			[...p.reads, ...p.used].forEach(seen);
			if ('reached' in p) p.reached.forEach(seen);
		}
		const at = (rule.each && schema.field(rule.type, rule.each)?.target) || rule.type;
		for (const f of rule.watch ?? []) reads.add(refKey(at, f));
		if (rule.each) reads.add(refKey(rule.type, rule.each));
		for (const f of writerOf(rule.body)?.finds(rule.body) ?? []) reads.add(refKey(f.type, f.field));
		const writes = rule.outputs.map((o) => refKey(rule.type, o.field));
		// an amount is rounded by its currency
		for (const key of [...reads, ...writes]) {
			const [type, field] = key.split('.');
			const by = schema.field(type, field)?.currencyField;
			if (by) reads.add(refKey(type, by));
		}
		return { reads: [...reads], writes, shapes, refuses };
	}
}
