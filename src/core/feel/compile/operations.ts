/** Operators, and what may be compared with what. */
import type { CmpOp, Expr } from '../../document/tree';
import { Num } from '../../value/num';
import { DayTime, YearMonth } from '../../value/temporal';
import {
	isCompare,
	isDeep,
	takeForBoth,
	ORDER,
	cmp,
	equalLoose,
	equalSets,
	NUMERIC,
	arithmeticType,
	arithmetic
} from '../operators';
import { isLiteral } from '../calls';
import type { Run, Part } from '../env';
import type { Ty } from '../types';
import type { Scope } from './scope';
import { NOTHING } from './scope';
import { placesAlike } from './places';
import * as n from '../../value/num';
import * as T from '../types';

/** A minus sign. */
export function negation(s: Scope, e: Expr & { k: 'neg' }): Part {
	const a = s.expr(e.a);
	if (!['any', 'null', 'number', 'daytime', 'yearmonth'].includes(a.ty.t))
		return s.bad(e, `Minus is for numbers and durations; this is ${s.say(a.ty)}.`);
	const run: Run = (env) => {
		const v = a.run(env);
		if (v instanceof Num) return n.negate(v);
		if (v instanceof DayTime) return new DayTime(-v.ms);
		return v instanceof YearMonth ? new YearMonth(-v.months) : null;
	};
	return { expr: { ...e, a: a.expr }, ty: a.ty, run };
}

/** `and` and `or` of three values: unknown is one of them. */
export function logic(s: Scope, e: Expr & { k: 'and' | 'or' }): Part {
	const items = e.items.map((x) => {
		const p = s.expr(x);
		if (!T.fits(p.ty, T.BOOLEAN))
			s.fault(x.at, `Both sides of “${e.k}” are yes or no; this is ${s.say(p.ty)}.`);
		return p;
	});
	const runs = items.map((p) => p.run);
	const stop = e.k === 'or';
	const run: Run = (env) => {
		let unknown = false;
		for (const r of runs) {
			const v = r(env);
			if (v === stop) return stop;
			if (v !== !stop) unknown = true;
		}
		return unknown ? null : !stop;
	};
	return { expr: { ...e, items: items.map((p) => p.expr) }, ty: T.BOOLEAN, run };
}

/** Arithmetic and comparisons. */
export function binary(s: Scope, e: Expr & { k: 'bin' }): Part {
	if (isCompare(e.op)) return comparison(s, e, e.op);
	const [a, b] = [s.expr(e.a), s.expr(e.b)];
	const expr: Expr = { ...e, a: a.expr, b: b.expr };
	const ty = arithmeticType(e.op, a.ty, b.ty);
	if (!ty) {
		const hint =
			e.op === '+' && (a.ty.t === 'text' || b.ty.t === 'text')
				? ' Use string(…) to join a text with it.'
				: '';
		return s.bad(e, `“${e.op}” cannot join ${s.say(a.ty)} and ${s.say(b.ty)}.${hint}`);
	}
	const [x, y] = [a.run, b.run];
	if (a.ty.t === 'number' && b.ty.t === 'number') {
		const f = NUMERIC[e.op]!;
		return {
			expr,
			ty,
			run: (env) => {
				const [p, q] = [x(env) as Num | null, y(env) as Num | null];
				return p === null || q === null ? null : f(p, q, env);
			}
		};
	}
	return { expr, ty, run: (env) => arithmetic(e.op, x(env), y(env), env) };
}

/** Binds a text literal on either side of a choice, and says so when the two cannot be compared. */
function comparison(s: Scope, e: Expr & { k: 'bin' }, op: CmpOp): Part {
	let [a, b] = placesAlike(s, e.a, e.b) ?? [s.expr(e.a), s.expr(e.b)];
	[a, b] = alike(s, a, b, e.a, e.b);
	const expr: Expr = { ...e, a: a.expr, b: b.expr };
	if (!canCompare(s, e, op, a.ty, b.ty)) return { expr, ty: T.BOOLEAN, run: NOTHING };
	const [x, y] = [a.run, b.run];
	if (op === '=' || op === '!=') {
		const yes = op === '=';
		// a multi-choice is a set
		const equals = [a, b].some((p) => p.ty.t === 'list' && p.ty.of.t === 'choice')
			? equalSets
			: equalLoose;
		return {
			expr,
			ty: T.BOOLEAN,
			run: (env) => {
				const [p, q] = [x(env), y(env)];
				if (isDeep(p) && isDeep(q)) takeForBoth(env, p, q);
				const r = equals(p, q);
				return r === null ? null : r === yes;
			}
		};
	}
	if (a.ty.t === 'number' && b.ty.t === 'number') {
		const f = ORDER[op];
		return {
			expr,
			ty: T.BOOLEAN,
			run: (env) => {
				const [p, q] = [x(env) as Num | null, y(env) as Num | null];
				return p === null || q === null ? null : f(n.compareNum(p, q));
			}
		};
	}
	return { expr, ty: T.BOOLEAN, run: (env) => cmp(op, x(env), y(env)) };
}

/** Whether two types can be compared; else it is a fault. */
export function canCompare(s: Scope, e: Expr, op: CmpOp, a: Ty, b: Ty): boolean {
	if (op !== '=' && op !== '!=') {
		const choice = [a, b].find((t) => t.t === 'choice');
		if (choice) {
			s.fault(e.at, `Options have no order of their own; compare position(…) instead.`);
			return false;
		}
		const unordered = [a, b].find((t) =>
			['boolean', 'record', 'list', 'context', 'function'].includes(t.t)
		);
		if (unordered) {
			s.fault(e.at, `“${op}” needs values with an order; this compares ${s.say(unordered)}.`);
			return false;
		}
	}
	if (T.fits(a, b) || T.fits(b, a)) return true;
	const hint =
		[a, b].some((t) => t.t === 'choice') && [a, b].some((t) => t.t === 'text')
			? ' Use label(…) for the text of an option.'
			: [a, b].some((t) => t.t === 'date') && [a, b].some((t) => t.t === 'moment')
				? ' Use date(…) to take the date.'
				: '';
	s.fault(e.at, `This compares ${s.say(a)} with ${s.say(b)}, which is never so.${hint}`);
	return false;
}

/** Where one side is a choice and the other a text literal, the text is read as an option. */
export function alike(s: Scope, a: Part, b: Part, ea: Expr, eb: Expr): [Part, Part] {
	const choice = (p: Part) =>
		p.ty.t === 'choice' ? p.ty : p.ty.t === 'list' && p.ty.of.t === 'choice' ? p.ty.of : null;
	const [ca, cb] = [choice(a), choice(b)];
	if (ca && isLiteral(eb)) return [a, s.expr(eb, eb.k === 'list' ? T.listOf(ca) : ca)];
	if (cb && isLiteral(ea)) return [s.expr(ea, ea.k === 'list' ? T.listOf(cb) : cb), b];
	return [a, b];
}

/** Notes it as a fault where a value has no order beside another. */
export function comparable(s: Scope, b: Part, a: Part): Part {
	canCompare(s, b.expr, '<=', a.ty, b.ty);
	return b;
}
