/** Records that nobody can save, and fields that are asked for where nobody sees them: what the Validate rules of one field do together, run on records. */
import type { Rule } from '../document/rules';
import { judgeOf } from '../kinds';
import type { Claim, Validator } from '../plan/plan';
import type { Context } from './context';
import { carried, ofRule } from './context';
import { candidatesOfRules } from './candidates';
import { claimId } from '../document/rules';
import type { Finding } from './types';

/** Findings about what a Validate rule asks of its field, beside what else is said of that field. */
export function stateFindings(c: Context, rule: Rule): Finding[] {
	if (!judgeOf(rule.body)) return [];
	return rule.outputs.flatMap((output) => {
		const v = c.plan.validators.get(claimId(rule.id, output.id));
		if (!v) return [];
		const node = c.nodeOf(rule.type, output.field);
		if (v.kind === 'limited') return noOption(c, rule, v, node?.limits ?? []);
		if (v.kind !== 'required' && v.kind !== 'check') return [];
		const held = (node?.claims ?? []).filter((x) => x.output.hold === 'locked' || x.output.closed);
		const limits = (node?.limits ?? []).filter((x) => x.kind === 'read-only');
		const hides = c.plan.types
			.get(rule.type)!
			.validators.filter((x) => x.kind === 'hidden' && x.field.id === output.field);
		if (v.kind === 'check') {
			const by = v.blocking ? setByRules(c, v) : [];
			return by.length ? refused(c, rule, v, by) : [];
		}
		return [
			...(held.length || limits.length ? notSettable(c, rule, v, [...held, ...limits]) : []),
			...(hides.length ? whileHidden(c, rule, v, hides) : [])
		];
	});
}

/** Required, and for some record read-only, or Locked without a result. */
function notSettable(c: Context, rule: Rule, v: Validator, others: readonly (Claim | Validator)[]) {
	for (const w of candidatesOfRules(c.probe, rule.type, [rule, ...others.map((x) => x.rule)])) {
		const rec = c.probe.run(rule.type, w, { states: true });
		const by = rec.readOnly.get(v.field.id);
		if (by === undefined || !rec.messages.some((m) => m.claim === v.id && m.blocking)) continue;
		const other = others.find((x) => x.id === by);
		if (!other) continue;
		return [
			{
				...ofRule(rule, 'nobody can save', 'outputs', v.field.id),
				field: v.field.id,
				message: `With this record ${v.field.label} is required and blank, and “${other.rule.name}” lets nobody set it.`,
				...carried(w)
			}
		];
	}
	return [];
}

/**
 * The claims by which a check refuses what nobody can set: those of the field at which it says so, or of
 * all the fields of the record that it reads.
 */
function setByRules(c: Context, v: Validator): Claim[] {
	const held = (field: string) =>
		(c.nodeOf(v.rule.type, field)?.claims ?? []).filter(
			(x) => x.output.hold === 'locked' || x.output.closed
		);
	const own = held(v.field.id);
	if (own.length) return own;
	const reads = new Set(
		v.used.filter((r) => r.type === v.rule.type && !r.via.length).map((r) => r.field)
	);
	const each = [...reads].map(held);
	return each.length && each.every((h) => h.length) ? each.flat() : [];
}

/** A blocking check that refuses what only a rule sets. */
function refused(c: Context, rule: Rule, v: Validator, held: readonly Claim[]): Finding[] {
	for (const w of candidatesOfRules(c.probe, rule.type, [rule, ...held.map((x) => x.rule)])) {
		const rec = c.probe.run(rule.type, w, { states: true });
		const by = held.find((x) => x.id === rec.readOnly.get(x.field.id));
		const said = rec.messages.find((m) => m.claim === v.id && m.blocking);
		if (!by || !said) continue;
		return [
			{
				...ofRule(rule, 'refused although set by a rule', 'outputs', v.field.id),
				field: v.field.id,
				message: `It refuses this record for ${by.field.label}, which “${by.rule.name}” sets and nobody else can.`,
				...carried(w)
			}
		];
	}
	return [];
}

/** Required wherever it is hidden, and nowhere else. */
function whileHidden(c: Context, rule: Rule, v: Validator, hides: readonly Validator[]): Finding[] {
	let witness = null;
	let tried = 0;
	for (const w of candidatesOfRules(c.probe, rule.type, [rule, ...hides.map((x) => x.rule)])) {
		const rec = c.probe.run(rule.type, w, { states: true });
		tried++;
		if (rec.required.has(v.field.id)) return [];
		const both = rec.hidden.has(v.field.id) && c.probe.inEffect(rule.type, w, v);
		if (both) witness ??= w;
	}
	if (!witness) return [];
	return [
		{
			...ofRule(rule, 'required while hidden', 'outputs', v.field.id),
			field: v.field.id,
			message: `${v.field.label} is required only where it is hidden, so nobody is asked for it: in none of ${tried} records tried does it show.`,
			...carried(witness)
		}
	];
}

/** Two limits that leave no option to a record. */
function noOption(c: Context, rule: Rule, v: Validator, all: readonly Validator[]): Finding[] {
	const others = all.filter((x) => x.kind === 'limited' && x.id !== v.id);
	// told once, at the first of them
	if (!others.length || all.filter((x) => x.kind === 'limited')[0].id !== v.id) return [];
	for (const w of candidatesOfRules(c.probe, rule.type, [rule, ...others.map((x) => x.rule)])) {
		const rec = c.probe.run(rule.type, w, { states: true });
		if (rec.limited.get(v.field.id)?.length !== 0) continue;
		const names = others.map((x) => `“${x.rule.name}”`).join(' and ');
		return [
			{
				...ofRule(rule, 'no option left', 'outputs', v.field.id),
				field: v.field.id,
				message: `It and ${names} together leave no option of ${v.field.label} for this record.`,
				...carried(w)
			}
		];
	}
	return [];
}
