/** Amounts of different currencies added or taken from each other; the fields are the certificate. */
import type { Expr } from '../document/tree';
import { walk } from '../document/walk';
import type { Schema } from '../document/model';
import type { Rule } from '../document/rules';
import type { Context } from './context';
import { ofRule } from './context';
import { exprOf, formulasOf } from './formulas';
import type { Place } from '../kinds/spec';
import type { Finding } from './types';

/** Where a rule adds, compares or copies amounts of different currencies. */
export function mixedCurrencies(c: Context, rule: Rule): Finding[] {
	return formulasOf(rule, c.schema).flatMap(({ place, formula, type, output }) => {
		const expr = exprOf(c, type, formula);
		const mixed = expr && mixedIn(expr, c.schema);
		if (!mixed) return copied(c, rule, place, expr, output);
		return [
			{
				...ofRule(rule, 'mixed currencies', place, place),
				message: `This ${mixed.does} amounts in ${mixed.of[0]} and ${mixed.of[1]}, which have no common ${mixed.does === 'adds' ? 'sum' : 'measure'}.`,
				certificate: `the currencies of the fields it ${mixed.does}`
			}
		];
	});
}

/** An amount that is put into a field of another currency as it stands. */
function copied(
	c: Context,
	rule: Rule,
	place: Place,
	expr: Expr | null,
	output: number | undefined
): Finding[] {
	const field = output === undefined ? undefined : rule.outputs[output]?.field;
	const target = field && c.schema.field(rule.type, field);
	const from = expr && currencyOf(expr, c.schema);
	if (!target || !from || target.type !== 'money') return [];
	const into = currencyOf(
		{ k: 'field', image: 'settled', type: rule.type, field: target.id },
		c.schema
	);
	if (!into || into === from) return [];
	return [
		{
			...ofRule(rule, 'mixed currencies', place, `${place} into`),
			field: target.id,
			message: `This puts an amount in ${from} into ${target.label}, which is in ${into}, as it stands.`,
			certificate: 'the currencies of the field it reads and of the one it writes'
		}
	];
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
			// what another record has its amounts in is that record's own
			if (e.k === 'through')
				return `the currency of the ${schema.type(e.type).type.label.toLowerCase()}`;
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

interface Mixed {
	does: 'adds' | 'compares';
	of: [string, string];
}

const ADDED = new Set(['+', '-']);
const COMPARED = new Set(['=', '!=', '<', '<=', '>', '>=']);

/** The two currencies that an expression adds or compares somewhere, or null. */
function mixedIn(tree: Expr, schema: Schema): Mixed | null {
	let mixed: Mixed | null = null;
	const meet = (does: Mixed['does'], all: readonly Expr[]) => {
		const of = all.map((x) => currencyOf(x, schema)).filter((x) => x !== null);
		const other = of.find((x) => x !== of[0]);
		if (other !== undefined) mixed ??= { does, of: [of[0], other] };
	};
	const among = (does: Mixed['does'], args: readonly Expr[]) => {
		const all = listed(args);
		const each = all.map((a) => eachOwn(a, schema)).find((type) => type !== null);
		if (each) mixed ??= { does, of: [`the currency of one ${each}`, 'that of another'] };
		meet(does, all);
	};
	walk(tree, (e) => {
		if (mixed) return false;
		if (e.k === 'bin' && ADDED.has(e.op)) meet('adds', [e.a, e.b]);
		else if (e.k === 'bin' && COMPARED.has(e.op)) meet('compares', [e.a, e.b]);
		else if (e.k === 'between') meet('compares', [e.x, e.lo, e.hi]);
		else if (e.k === 'call' && ['sum', 'mean', 'median'].includes(e.fn)) among('adds', e.args);
		else if (e.k === 'call' && (e.fn === 'min' || e.fn === 'max')) among('compares', e.args);
	});
	return mixed;
}

/**
 * Where an expression gives an amount of each of several records, in the currency that each of them
 * names: what such a record is called. Null where it does not, or where only those of one currency are taken.
 */
function eachOwn(e: Expr, schema: Schema): string | null {
	const currency = e.k === 'through' ? schema.field(e.type, e.field)?.currencyField : undefined;
	if (e.k !== 'through' || !currency) return null;
	const [many, parted] = severalBehind(e.of, currency);
	return many && !parted ? schema.type(e.type).type.label.toLowerCase() : null;
}

/** Whether an expression gives several records, and whether they are chosen by a field. */
function severalBehind(e: Expr, field: string): [many: boolean, parted: boolean] {
	if (e.k === 'related') return [true, false];
	if (e.k === 'through') return severalBehind(e.of, field);
	if (e.k !== 'filter') return [false, false];
	let speaks = false;
	walk(e.by, (x) => {
		if ((x.k === 'field' || x.k === 'through') && x.field === field) speaks = true;
	});
	const [, parted] = severalBehind(e.of, field);
	return [true, parted || speaks];
}

/** Arguments given one by one, or as one list. */
const listed = (args: readonly Expr[]) => args.flatMap((a) => (a.k === 'list' ? a.items : [a]));
