/** The formulas of rules as trees, for the analysis. */
import type { Expr } from '../feel/tree';
import { bare } from '../feel/tree';
import type { Ty } from '../feel/types';
import { typeOfField } from '../feel/types';
import type { Schema } from '../model/model';
import type { Body, Formula, Rule, RuleSet } from '../model/rules';
import type { Place } from '../plan/plan';
import { readFormula } from '../plan/plan';

const known = new WeakMap<Formula, { schema: Schema; type: string; expr: Expr | null }>();

/** The tree of a formula, bound to options; null when it cannot be read. */
export function exprOf(
	{ schema }: { schema: Schema },
	type: string,
	f: Formula | null
): Expr | null {
	if (!f) return null;
	const had = known.get(f);
	if (had?.schema === schema && had.type === type) return had.expr;
	const expr = readFormula(f, { schema, type }).compiled?.expr ?? null;
	known.set(f, { schema, type, expr });
	return expr;
}

/** Every formula of a rule that computes values, with its place. */
export function formulasOf(rule: Rule): [Place, Formula][] {
	const { body } = rule;
	const out: [Place, Formula][] = rule.guard ? [['guard', rule.guard]] : [];
	switch (body.kind) {
		case 'formula':
			body.formulas.forEach((f, i) => out.push([`formula ${i}`, f]));
			break;
		case 'check':
			out.push(['formula 0', body.holds]);
			break;
		case 'bands':
		case 'split':
			out.push(['input', body.input]);
			break;
		case 'table':
			body.inputs.forEach((f, i) => out.push([`input ${i}`, f]));
			body.rows.forEach((r, k) => r.then.forEach((f, o) => f && out.push([`then ${k} ${o}`, f])));
			break;
		case 'lookup':
			body.keys.forEach((f, i) => out.push([`key ${i}`, f]));
			break;
		case 'match':
			body.on.forEach((o, i) => out.push([`key ${i}`, o.value]));
			break;
	}
	return out;
}

/** The rule set with every formula that is kept as text, and can be read, as its tree; the same one when there is none. */
export function inTrees(set: RuleSet, schema: Schema): RuleSet {
	const rules = set.rules.map((r) => ruleInTrees(r, schema));
	return rules.every((r, i) => r === set.rules[i]) ? set : { ...set, rules };
}

function ruleInTrees(rule: Rule, schema: Schema): Rule {
	let changed = false;
	const read = (f: Formula, type = rule.type, expected?: Ty): Formula => {
		if ('expr' in f) return f;
		const expr = readFormula(f, { schema, type, expected }).compiled?.expr;
		if (!expr) return f;
		changed = true;
		return { expr: bare(expr) };
	};
	const given = (i: number) => {
		const field = schema.field(rule.type, rule.outputs[i]?.field ?? '');
		return field && typeOfField(field);
	};
	const target = rule.each ? schema.field(rule.type, rule.each)?.target : undefined;
	const guard = rule.guard && read(rule.guard, target ?? rule.type);
	const body = bodyInTrees(rule.body, read, given);
	return changed ? { ...rule, guard, body } : rule;
}

function bodyInTrees(
	body: Body,
	read: (f: Formula, type?: string, expected?: Ty) => Formula,
	given: (output: number) => Ty | undefined
): Body {
	switch (body.kind) {
		case 'formula':
			return { ...body, formulas: body.formulas.map((f, i) => read(f, undefined, given(i))) };
		case 'bands':
		case 'split':
			return { ...body, input: read(body.input) };
		case 'check':
			return { ...body, holds: read(body.holds) };
		case 'table':
			return {
				...body,
				inputs: body.inputs.map((f) => read(f)),
				rows: body.rows.map((r) => ({
					...r,
					then: r.then.map((f, i) => f && read(f, undefined, given(i)))
				}))
			};
		case 'lookup':
			return { ...body, keys: body.keys.map((f) => read(f)) };
		case 'match':
			return { ...body, on: body.on.map((o) => ({ ...o, value: read(o.value) })) };
		default:
			return body;
	}
}
