/** What the formulas of a rule show as they stand: percentages taken for fractions, branches alike, ranges that hold nothing, fields that are retired. */
import { canonicalJson } from '../document/canonical';
import type { Schema } from '../document/model';
import type { Rule } from '../document/rules';
import type { Expr } from '../document/tree';
import { bare } from '../document/tree';
import { walk } from '../document/walk';
import { order } from '../value/value';
import type { Value } from '../value/value';
import { compareNum, num, parseNum } from '../value/num';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from '../value/temporal';
import type { Context } from './context';
import { ofRule } from './context';
import { exprOf, formulasOf } from './formulas';
import type { Finding } from './types';

/** Findings that the trees of a rule prove by themselves. */
export function shapeFindings(c: Context, rule: Rule): Finding[] {
	const retired = new Set<string>();
	const out = formulasOf(rule, c.schema).flatMap(({ place, formula, type, output }): Finding[] => {
		const expr = exprOf(c, type, formula);
		if (!expr) return [];
		const target = output === undefined ? undefined : rule.outputs[output];
		const percent = target && c.schema.field(rule.type, target.field)?.type === 'percent';
		const found: Finding[] = [];
		const pct = percent ? null : fractionIn(expr, c.schema);
		if (pct)
			found.push({
				...ofRule(rule, 'percent as fraction', place, place),
				message: `This reckons with ${pct} as it stands: of 9 % it takes the number 9. Divide it by 100.`,
				certificate: 'a percentage of 9 is the number 9'
			});
		const ratio = percent && ratioIn(expr, c.schema);
		if (ratio)
			found.push({
				...ofRule(rule, 'percent as fraction', place, `${place} into`),
				message: `This puts a ratio into ${c.schema.field(rule.type, target.field)!.label} as it stands: a half would be 0.5 %. Multiply it by 100.`,
				certificate: 'a percentage of 9 is the number 9'
			});
		const small = comparedAsFraction(expr, c.schema);
		if (small)
			found.push({
				...ofRule(rule, 'percent as fraction', place, `${place} compared`),
				message: `This compares ${small.label} with ${small.constant}, which is ${small.constant} %. Of 9 % it takes the number 9.`,
				certificate: 'a percentage of 9 is the number 9'
			});
		walk(expr, (e) => {
			if (e.k === 'if' && canonicalJson(bare(e.t)) === canonicalJson(bare(e.e)))
				found.push({
					...ofRule(rule, 'same branches', place, place),
					message: 'What it gives is the same whether its condition is so or not.',
					certificate: 'both branches, compared'
				});
			const side = blankSide(e);
			if (side)
				found.push({
					...ofRule(rule, 'moved from or to blank', place, `${place} ${side}`),
					message: `It asks for a move ${side} blank alone: null is no stand-in for any value.`,
					certificate: 'the formula: a side of moved() is null'
				});
			const ends = endsOf(e);
			if (ends && holdsNothing(...ends))
				found.push({
					...ofRule(rule, 'empty range', place, place),
					message: `No value lies between ${say(ends[0])} and ${say(ends[1])}.`,
					certificate: 'the two ends, compared'
				});
			if (e.k !== 'field' && e.k !== 'through') return;
			const f = c.schema.field(e.type, e.field);
			if (f?.retired) retired.add(f.label);
		});
		return found;
	});
	for (const o of rule.outputs) {
		const f = c.schema.field(rule.type, o.field);
		if (f?.retired) retired.add(f.label);
	}
	return [
		...out,
		...[...retired].map((label) => ({
			...ofRule(rule, 'retired field', 'input' as const, label),
			message: `It speaks of ${label}, which is retired.`,
			certificate: 'the field is marked as retired'
		}))
	];
}

/** A percentage field by which something is multiplied, or that is taken from or added to 1, as it stands. */
function fractionIn(tree: Expr, schema: Schema): string | null {
	let found: string | null = null;
	const label = (e: Expr) => {
		const f = e.k === 'field' || e.k === 'through' ? schema.field(e.type, e.field) : undefined;
		return f?.type === 'percent' ? f.label : null;
	};
	const amount = (e: Expr) =>
		(e.k === 'field' || e.k === 'through') &&
		['money', 'number'].includes(schema.field(e.type, e.field)?.type ?? '');
	const isNum = (e: Expr, text: string) =>
		e.k === 'num' && compareNum(parseNum(e.v) ?? num(0), parseNum(text)!) === 0;
	const visit = (e: unknown, divided: boolean): void => {
		if (typeof e !== 'object' || e === null || found) return;
		const x = e as Expr;
		if (x.k === 'bin') {
			const by100 =
				divided ||
				(x.op === '/' && isNum(x.b, '100')) ||
				(x.op === '*' && [x.a, x.b].some((s) => isNum(s, '0.01')));
			const [a, b] = [label(x.a), label(x.b)];
			if (!by100 && x.op === '*' && ((a && amount(x.b)) || (b && amount(x.a)))) found = a ?? b;
			if ((x.op === '-' || x.op === '+') && b && isNum(x.a, '1')) found = b;
			if (x.op === '+' && a && isNum(x.b, '1')) found = a;
			visit(x.a, by100);
			visit(x.b, by100 && x.op !== '/');
			return;
		}
		for (const [key, part] of Object.entries(e)) if (key !== 'at') visit(part, false);
	};
	visit(tree, false);
	return found;
}

/** The side of `moved(field, from, to)` that is null. */
function blankSide(e: Expr | { k: string }): 'from' | 'to' | null {
	const call = e.k === 'call' ? (e as Expr & { k: 'call' }) : null;
	if (call?.fn !== 'moved') return null;
	const names = call.names ?? ['field', 'from', 'to'];
	const at = call.args.findIndex((a, i) => i > 0 && a.k === 'null');
	return at < 0 ? null : names[at] === 'from' ? 'from' : 'to';
}

/** Whether an expression gives one amount or number by another, with nothing that makes a percentage of it. */
function ratioIn(e: Expr, schema: Schema): boolean {
	const plain = (x: Expr) =>
		(x.k === 'field' || x.k === 'through') &&
		['money', 'number'].includes(schema.field(x.type, x.field)?.type ?? '');
	if (e.k === 'if') return ratioIn(e.t, schema) || ratioIn(e.e, schema);
	return e.k === 'bin' && e.op === '/' && plain(e.a) && plain(e.b);
}

/** A percentage that is compared with a number between 0 and 1, as if it were a fraction. */
function comparedAsFraction(
	tree: Expr,
	schema: Schema
): { label: string; constant: string } | null {
	let found: { label: string; constant: string } | null = null;
	const meet = (x: Expr, ...others: Expr[]) => {
		const f = x.k === 'field' || x.k === 'through' ? schema.field(x.type, x.field) : undefined;
		if (f?.type !== 'percent') return;
		for (const o of others) {
			const v = o.k === 'num' ? parseNum(o.v) : null;
			if (o.k === 'num' && v && compareNum(v, num(0)) > 0 && compareNum(v, num(1)) < 0)
				found ??= { label: f.label, constant: o.v };
		}
	};
	walk(tree, (e) => {
		if (e.k === 'bin' && ['=', '!=', '<', '<=', '>', '>='].includes(e.op)) {
			meet(e.a, e.b);
			meet(e.b, e.a);
		} else if (e.k === 'between') meet(e.x, e.lo, e.hi);
	});
	return found;
}

type Ends = [Value, Value, boolean];

/** The ends of a range that are constants, and whether both belong to it; null where it has none. */
function endsOf(e: Expr | { k: string }): Ends | null {
	if (e.k === 'between') {
		const { lo, hi } = e as Expr & { k: 'between' };
		const ends: [Value, Value] = [constantOf(lo), constantOf(hi)];
		return ends.includes(null) ? null : [...ends, true];
	}
	if (e.k !== 'range') return null;
	const { lo, hi, loIn, hiIn } = e as Expr & { k: 'range' };
	if (!lo || !hi) return null;
	const ends: [Value, Value] = [constantOf(lo), constantOf(hi)];
	return ends.includes(null) ? null : [...ends, loIn && hiIn];
}

function holdsNothing(lo: Value, hi: Value, closed: boolean): boolean {
	const o = order(lo, hi);
	return o !== null && (o > 0 || (o === 0 && !closed));
}

/** The value of a literal; null for what computes. */
function constantOf(e: Expr): Value {
	if (e.k === 'num') return parseNum(e.v);
	if (e.k === 'neg' && e.a.k === 'num') return parseNum(`-${e.a.v}`);
	if (e.k === 'text') return e.v;
	const text =
		e.k === 'at'
			? e.v
			: e.k === 'call' && e.args.length === 1 && e.args[0].k === 'text'
				? e.args[0].v
				: null;
	if (text === null || (e.k === 'call' && !['date', 'time', 'duration'].includes(e.fn)))
		return null;
	return (
		LocalDate.parse(text) ??
		LocalTime.parse(text) ??
		YearMonth.parse(text) ??
		DayTime.parse(text) ??
		Moment.parse(text)
	);
}

const say = (v: Value) => (typeof v === 'string' ? `“${v}”` : String(v));
