/** Calls of functions: which way of calling one fits, and how its arguments are given. */
import type { Schema } from '../document/model';
import { Num } from '../value/num';
import type { Value } from '../value/value';
import { isBlank, isList, show } from '../value/value';
import type { FnDef } from './functions/spec';
import { callFunction } from './functions/spec';
import type { Expr } from '../document/tree';
import type { Ty } from './types';
import * as T from './types';
import type { Run, Part } from './env';

/** A text, or a list of texts, that may be meant as options. */
export const isLiteral = (x: Expr): boolean =>
	x.k === 'text' || (x.k === 'list' && x.items.length > 0 && x.items.every((i) => i.k === 'text'));

/** The way of calling a function whose parameters fit the types of the arguments; else the first. */
export function fittingWay(
	able: readonly FnDef[],
	e: Expr & { k: 'call' },
	args: readonly Part[]
): FnDef {
	// of two with the same names, the one in whose order they are given
	const named = e.names && able.find((d) => e.names!.every((n, i) => d.params[i]?.name === n));
	if (named) return named;
	const fitting = able.find((d) =>
		args.every(({ ty }, i) => {
			const at = e.names ? d.params.findIndex((p) => p.name === e.names![i]) : i;
			return T.fits(ty, d.params[Math.min(at, d.params.length - 1)].ty);
		})
	);
	return fitting ?? able[0];
}

export function takes(d: FnDef, e: Expr & { k: 'call' }): boolean {
	if (e.names) {
		const needed = d.params.filter((p) => !p.optional);
		return (
			e.names.every((x) => d.params.some((p) => p.name === x)) &&
			needed.every((p) => e.names!.includes(p.name))
		);
	}
	const least = d.params.filter((p) => !p.optional).length;
	return e.args.length >= least && (d.rest || e.args.length <= d.params.length);
}

/** How a function is called, for messages and help: `substring(string, start position, length?)`. */
export function signature(d: FnDef): string {
	const params = d.params.map(
		(p, i) => p.name + (p.optional ? '?' : '') + (d.rest && i === d.params.length - 1 ? '…' : '')
	);
	return `${d.name}(${params.join(', ')})`;
}

export function runCall(d: FnDef, args: Run[], to: number[]): Run {
	const last = d.params.length - 1;
	return (env) => {
		const given: Value[] = [];
		for (let i = 0; i < args.length; i++) {
			const v = args[i](env);
			if (d.rest && to[i] >= last) {
				// one list stands for its items: sum([1, 2]) is sum(1, 2)
				if (isList(v) && args.length === last + 1 && !d.whole) given[last] = v;
				else ((given[last] as Value[] | undefined) ?? (given[last] = [])).push(v);
			} else given[to[i]] = v;
		}
		if (!d.nulls)
			for (let i = 0; i < given.length; i++) if ((given[i] ?? null) === null) return null;
		for (let i = 0; i < d.params.length; i++) {
			const ty = d.params[i].ty;
			// a list where one value is wanted: a list of one is its item
			if (
				given[i] !== undefined &&
				isList(given[i]) &&
				given[i] !== null &&
				ty.t !== 'any' &&
				ty.t !== 'list'
			) {
				const l = given[i] as readonly Value[];
				given[i] = l.length === 1 ? l[0] : null;
			}
			// one value where a list is wanted is a list of one
			if (
				ty.t === 'list' &&
				!(d.rest && i === last) &&
				(given[i] ?? null) !== null &&
				!isList(given[i])
			)
				given[i] = [given[i]];
			if (!d.nulls && given[i] !== undefined && !isOf(given[i], ty)) return null;
		}
		return callFunction(d, given, env);
	};
}

function isOf(v: Value, ty: Ty): boolean {
	switch (ty.t) {
		case 'number':
			return v instanceof Num;
		case 'text':
			return typeof v === 'string';
		case 'boolean':
			return typeof v === 'boolean';
		default:
			return v !== null;
	}
}

/** How a value of a type is written as text: options by their label, lists and contexts as FEEL writes them. */
export function textOf(ty: Ty, schema: Schema): (v: Value) => string | null {
	if (ty.t === 'choice')
		return (v) => (typeof v === 'string' ? (schema.option(ty.list, v)?.label ?? v) : null);
	if (ty.t === 'list' && ty.of.t === 'choice') {
		const one = textOf(ty.of, schema);
		return (v) => (isList(v) ? (v.length ? v.map((x) => one(x) ?? '').join(', ') : null) : one(v));
	}
	// an empty list is a value, blank only where it is a field's
	return (v) =>
		v === null || (isBlank(v) && !isList(v)) ? null : typeof v === 'string' ? v : show(v);
}
