/** What flows where: which fields each rule reads, and which it writes, checks or sends from. */
import type { FieldRef } from '../document/model';
import { refKey } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { walk } from '../document/walk';
import { kindOf } from '../kinds';
import type { Plan, Seen } from './plan';

/** A field that a rule reads, and how. */
export interface FlowRead extends FieldRef {
	/** Only as it was before the change or as it was sent: no value that rules settle. */
	early: boolean;
}

/** A rule as what it reads and what comes of it. */
export interface FlowRule {
	rule: Rule;
	does: 'writes' | 'judges' | 'sends';
	reads: readonly FlowRead[];
	/** The fields it writes, or of which it says what they may be. */
	writes: readonly FieldRef[];
	/** It does not run: it is switched off, or something in it is wrong or still to be said. */
	idle: boolean;
}

/** Every rule once, in the order of the set. */
export function flowOf(plan: Plan, set: RuleSet): FlowRule[] {
	const reads = new Map<string, Seen[]>();
	const note = (rule: string, seen: readonly Seen[]) =>
		reads.set(rule, [...(reads.get(rule) ?? []), ...seen]);
	for (const c of plan.claims.values()) note(c.rule.id, c.reads);
	for (const v of plan.validators.values()) note(v.rule.id, v.reads);
	for (const m of plan.messages) note(m.rule.id, m.reads);
	return set.rules.map((rule) => {
		const seen = reads.get(rule.id);
		const own = (field: string): FlowRead => ({
			type: setOffAt(plan, rule),
			field,
			early: false
		});
		const way = (s: Seen): FlowRead[] => [
			{ type: s.type, field: s.field, early: s.image !== 'settled' },
			// the links on the way are read as well
			...s.via.map((v) => ({ type: v.type, field: v.field, early: false }))
		];
		return {
			rule,
			does: kindOf(rule.body).does,
			reads: unique([
				...(seen ?? []).flatMap(way),
				// what a message says is read at the record it is about, and what does not run is known by its trees
				...(!seen || kindOf(rule.body).does === 'sends' ? named([rule.guard, rule.body]) : []),
				...(rule.watch ?? []).map(own)
			]),
			writes: rule.outputs
				.map((o) => ({ type: rule.type, field: o.field }))
				.filter((r) => plan.schema.field(r.type, r.field)),
			idle: !seen
		};
	});
}

/** The fields that trees name. */
function named(doc: unknown): FlowRead[] {
	const out: FlowRead[] = [];
	walk(doc, (e) => {
		if (e.k === 'field') out.push({ type: e.type, field: e.field, early: e.image !== 'settled' });
		if (e.k === 'through' || e.k === 'related')
			out.push({ type: e.type, field: e.field, early: false });
		return true;
	});
	return out;
}

/** The record type at which a rule is set off. */
const setOffAt = (plan: Plan, rule: Rule): string =>
	(rule.each && plan.schema.field(rule.type, rule.each)?.target) || rule.type;

/** Each field once; one that is read settled too is not read early only. */
function unique(reads: readonly FlowRead[]): FlowRead[] {
	const out = new Map<string, FlowRead>();
	for (const r of reads) {
		const key = refKey(r.type, r.field);
		const had = out.get(key);
		out.set(key, had ? { ...had, early: had.early && r.early } : r);
	}
	return [...out.values()];
}

/**
 * The rules by which a field gets its value and those that it takes part in, and so on from there.
 * @param far most rules between the field and another
 */
export function around(flow: readonly FlowRule[], of: FieldRef, far = Infinity): FlowRule[] {
	const key = (r: FieldRef) => refKey(r.type, r.field);
	const rules = new Set<FlowRule>();
	for (const way of ['writes', 'reads'] as const) {
		const beyond = way === 'writes' ? 'reads' : 'writes';
		const seen = new Set([key(of)]);
		let edge = [...seen];
		for (let n = 1; edge.length && n <= far; n++) {
			const near = flow.filter((f) => f[way].some((r) => edge.includes(key(r))));
			for (const f of near) rules.add(f);
			edge = [...new Set(near.flatMap((f) => f[beyond].map(key)))].filter((k) => !seen.has(k));
			for (const k of edge) seen.add(k);
		}
	}
	return flow.filter((f) => rules.has(f));
}
