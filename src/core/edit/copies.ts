/** Rules made from rules. */
import type { Rule, RuleSet } from '../document/rules';
import { claimId } from '../document/rules';

/** The name given, or where a rule of the type has it already, with a number behind it. */
export function freeName(set: RuleSet, type: string, name: string): string {
	const taken = new Set(set.rules.filter((r) => r.type === type).map((r) => r.name.trim()));
	let next = name;
	for (let n = 2; taken.has(next); n++) next = `${name} (${n})`;
	return next;
}

/**
 * The rule set with a rule once more, right behind itself, in the claim orders of its fields too; the
 * same set when there is no such rule.
 * @param as identity of the new one
 */
export function duplicated(set: RuleSet, id: string, as: string): RuleSet {
	const at = set.rules.findIndex((r) => r.id === id);
	const rule = set.rules[at];
	if (!rule) return set;
	const copy: Rule = {
		...structuredClone(rule),
		id: as,
		name: freeName(set, rule.type, `${rule.name} (copy)`)
	};
	const order = Object.fromEntries(
		Object.entries(set.order).map(([field, claims]) => [
			field,
			claims.flatMap((c) => {
				const output = rule.outputs.find((o) => claimId(id, o.id) === c);
				return output ? [c, claimId(as, output.id)] : [c];
			})
		])
	);
	return { ...set, rules: set.rules.toSpliced(at + 1, 0, copy), order };
}

/** The other rules of a type that are called as one is: people cannot tell them apart. */
export const namesakes = (set: RuleSet, rule: Rule): Rule[] =>
	set.rules.filter(
		(r) => r.id !== rule.id && r.type === rule.type && r.name.trim() === rule.name.trim()
	);
