/** The formulas of rules as trees, for the analysis. */
import type { Expr } from '../feel/tree';
import type { Schema } from '../model/model';
import type { Formula, Rule } from '../model/rules';
import type { Place } from '../plan/plan';
import { readFormula } from '../plan/plan';

/** The tree of a formula, bound to options; null when it cannot be read. */
export function exprOf(of: { schema: Schema }, type: string, f: Formula | null): Expr | null {
	return f && (readFormula(f, { schema: of.schema, type }).compiled?.expr ?? null);
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
