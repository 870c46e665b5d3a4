/** Amounts of different currencies added or taken from each other; the fields are the certificate. */
import type { Expr } from '../document/tree';
import { walk } from '../document/walk';
import type { Schema } from '../document/model';
import type { Rule } from '../document/rules';
import type { Context } from './context';
import { ofRule } from './context';
import { exprOf, formulasOf } from './formulas';
import type { Finding } from './types';

/** Where a rule adds amounts of different currencies. */
export function mixedCurrencies(c: Context, rule: Rule): Finding[] {
	return formulasOf(rule, c.schema).flatMap(({ place, formula, type }) => {
		const expr = exprOf(c, type, formula);
		const mixed = expr && mixedIn(expr, c.schema);
		if (!mixed) return [];
		return [
			{
				...ofRule(rule, 'mixed currencies', place, place),
				message: `This adds amounts in ${mixed[0]} and ${mixed[1]}, which have no common sum.`,
				certificate: 'the currencies of the fields it adds'
			}
		];
	});
}

/** The currency of what an expression gives, where the fields it is made of tell one. */
function currencyOf(e: Expr, schema: Schema): string | null {
	const first = (...xs: Expr[]) =>
		xs.map((x) => currencyOf(x, schema)).find((c) => c !== null) ?? null;
	switch (e.k) {
		case 'field':
		case 'through': {
			const f = schema.field(e.type, e.field);
			if (f?.type !== 'money') return null;
			if (!f.currencyField) return f.currency ?? 'EUR';
			return `the currency of ${schema.field(e.type, f.currencyField)?.label ?? f.label}`;
		}
		case 'neg':
			return currencyOf(e.a, schema);
		case 'bin':
			// an amount by an amount is a ratio, in no currency
			if (e.op === '/' && currencyOf(e.b, schema)) return null;
			return ['+', '-', '*', '/'].includes(e.op) ? first(e.a, e.b) : null;
		case 'if':
			return first(e.t, e.e);
		case 'filter':
			return currencyOf(e.of, schema);
		case 'call':
			return ['sum', 'min', 'max', 'mean', 'otherwise', 'decimal', 'abs'].includes(e.fn)
				? first(...e.args)
				: null;
		default:
			return null;
	}
}

/** The two currencies that an expression adds somewhere, or null. */
function mixedIn(tree: Expr, schema: Schema): [string, string] | null {
	let mixed: [string, string] | null = null;
	walk(tree, (e) => {
		if (mixed) return false;
		if (e.k !== 'bin' || (e.op !== '+' && e.op !== '-')) return;
		const [a, b] = [currencyOf(e.a, schema), currencyOf(e.b, schema)];
		if (a && b && a !== b) mixed = [a, b];
	});
	return mixed;
}
