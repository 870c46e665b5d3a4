/** Rules made from rules. */
import type { Rule, RuleSet } from '../document/rules';
import { claimId } from '../document/rules';
import { inTrees } from '../check/formulas';
import type { Field, Schema } from '../document/model';
import type { Expr } from '../document/tree';
import { mapped } from '../feel/inline';
import { kindOf, withoutOutput } from '../kinds';

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

/** Whether a rule can be copied to a record type: one that starts from a field of its own stays at home. */
export const copiesTo = (rule: Rule, type: string): boolean =>
	rule.type === type || (kindOf(rule.body).source(rule.body) === null && !rule.each);

/**
 * The rule set with a rule once more, at another field, of another record type too. There, fields are
 * those of the same label and kind; where there is none, it is left to be said.
 * @param as identity of the new one
 */
export function copiedTo(
	set: RuleSet,
	schema: Schema,
	id: string,
	to: { type: string; field: string },
	as: string
): RuleSet {
	// texts say what they say at home: elsewhere their names may mean something else
	const rule = inTrees(set, schema).rules.find((r) => r.id === id);
	const target = schema.field(to.type, to.field);
	if (!rule || !target || !copiesTo(rule, to.type)) return set;
	let alone = structuredClone(rule);
	while (alone.outputs.length > 1) alone = withoutOutput(alone, alone.outputs.length - 1);
	const home = schema.field(rule.type, rule.outputs[0]?.field ?? '')?.label ?? '';
	const name = home && rule.name.includes(home) ? rule.name.replace(home, target.label) : rule.name;
	const copy: Rule = {
		...alone,
		id: as,
		type: to.type,
		name: freeName(set, to.type, name),
		outputs: alone.outputs.map((o) => ({ ...o, field: to.field }))
	};
	const moved = to.type === rule.type ? copy : atHome(copy, rule.type, to.type, schema);
	return { ...set, rules: [...set.rules, moved] };
}

/** A rule whose own fields are those of another record type that have the same label and kind. */
function atHome(rule: Rule, from: string, to: string, schema: Schema): Rule {
	const like = (id: string): Field | undefined => {
		const f = schema.field(from, id);
		return schema
			.type(to)
			.type.fields.find(
				(x) =>
					!x.retired &&
					x.label.toLowerCase() === f?.label.toLowerCase() &&
					x.type === f.type &&
					x.list === f.list &&
					x.target === f.target
			);
	};
	const replace = (e: Expr): Expr | null => {
		if (e.k === 'field' && e.type === from) {
			const f = like(e.field);
			return f ? { ...e, type: to, field: f.id } : { k: 'hole' };
		}
		return e.k === 'related' && !e.of ? { k: 'hole' } : null;
	};
	const watch = rule.watch?.flatMap((id) => like(id)?.id ?? []);
	return {
		...rule,
		watch: watch ?? null,
		guard: mapped(rule.guard, replace),
		body: mapped(rule.body, replace)
	};
}
