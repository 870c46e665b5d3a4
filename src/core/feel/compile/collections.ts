/** Lists, contexts, ranges, loops and filters. */
import type { Expr, Iteration } from '../../document/tree';
import { Num } from '../../value/num';
import type { Value } from '../../value/value';
import { Range, isList } from '../../value/value';
import { heldList, take } from '../budget';
import { walk, at } from '../loops';
import type { Run, Part } from '../env';
import type { Ty } from '../types';
import type { Scope } from './scope';
import { mentions } from './scope';
import * as T from '../types';
import { ways } from './reading';

/** A list written out. */
export function list(s: Scope, e: Expr & { k: 'list' }, expected?: Ty): Part {
	const want = expected?.t === 'list' ? expected.of : expected;
	const items = e.items.map((x) => s.expr(x, want));
	const of = items.length ? items.map((p) => p.ty).reduce(T.join) : T.ANY;
	const run: Run = (env) => items.map((p) => p.run(env));
	return { expr: { ...e, items: items.map((p) => p.expr) }, ty: T.listOf(of), run };
}

/** Entries by name, each of which may use those before it. */
export function context(s: Scope, e: Expr & { k: 'context' }): Part {
	const depth = s.slots.length;
	const parts: { key: string; p: Part; slot: number }[] = [];
	for (const { key, e: x } of e.entries) {
		const p = s.expr(x);
		parts.push({ key, p, slot: s.slots.length });
		s.slots.push({ name: key, ty: p.ty });
	}
	s.slots.length = depth;
	const run: Run = (env) => {
		const m = new Map<string, Value>();
		for (const { key, p, slot } of parts) {
			const v = p.run(env);
			env.vars[slot] = v;
			m.set(key, v);
		}
		return m;
	};
	const ty: Ty = { t: 'context', keys: new Map(parts.map(({ key, p }) => [key, p.ty])) };
	return { expr: { ...e, entries: parts.map(({ key, p }) => ({ key, e: p.expr })) }, ty, run };
}

/** A range of two ends, open or closed. */
export function range(s: Scope, e: Expr & { k: 'range' }): Part {
	const [lo, hi] = [e.lo && s.expr(e.lo), e.hi && s.expr(e.hi)];
	const of = T.join(lo?.ty ?? T.NULL, hi?.ty ?? T.NULL);
	for (const p of [lo, hi])
		if (p && ['boolean', 'list', 'context', 'choice', 'record'].includes(p.ty.t))
			s.fault(p.expr.at, `A range has ends with an order; this is ${s.say(p.ty)}.`);
	if (lo && hi && !T.fits(lo.ty, hi.ty) && !T.fits(hi.ty, lo.ty))
		s.fault(e.at, `The ends of this range are ${s.say(lo.ty)} and ${s.say(hi.ty)}.`);
	const run: Run = (env) =>
		new Range(lo ? lo.run(env) : null, e.loIn, hi ? hi.run(env) : null, e.hiIn);
	return { expr: { ...e, lo: lo?.expr ?? null, hi: hi?.expr ?? null }, ty: T.rangeOf(of), run };
}

function iterate(
	s: Scope,
	its: Iteration[],
	env0: { parts: { of: Part; to: Part | null; slot: number }[] }
): Iteration[] {
	return its.map((it) => {
		const of = s.expr(it.of);
		const days = of.ty.t === 'date';
		const to = it.to && s.wanted(s.expr(it.to), days ? T.DATE : T.NUMBER);
		if (to && !days) s.wanted(of, T.NUMBER);
		const ty = to
			? days
				? T.DATE
				: T.NUMBER
			: of.ty.t === 'list' || of.ty.t === 'range'
				? of.ty.of
				: T.ANY;
		env0.parts.push({ of, to, slot: s.slots.length });
		s.slots.push({ name: it.name, ty, ways: ways(s, it.of) });
		return { name: it.name, of: of.expr, to: to?.expr ?? null };
	});
}

/** `for`: what the body gives for each combination. */
export function loop(s: Scope, e: Expr & { k: 'for' }): Part {
	const depth = s.slots.length;
	const held: { parts: { of: Part; to: Part | null; slot: number }[] } = { parts: [] };
	const its = iterate(s, e.its, held);
	const partial = s.slots.length;
	s.slots.push({ name: 'partial', ty: T.listOf(T.ANY) });
	const [body, size] = s.sized(() => s.expr(e.body));
	s.slots.length = depth;
	const asksPartial = mentions(e.body, 'partial');
	const run: Run = (env) => {
		const out: Value[] = [];
		const done = walk(held.parts, 0, env, size, () => {
			if (asksPartial) {
				// as it was then: a list that grew later could come to hold itself
				take(env, out.length >> 4);
				env.vars[partial] = out.slice();
			}
			out.push(body.run(env));
			heldList(out);
			return true;
		});
		return done === null ? null : out;
	};
	return { expr: { ...e, its, body: body.expr }, ty: T.listOf(body.ty), run };
}

/** `some` and `every`. */
export function quantified(s: Scope, e: Expr & { k: 'some' | 'every' }): Part {
	const depth = s.slots.length;
	const held: { parts: { of: Part; to: Part | null; slot: number }[] } = { parts: [] };
	const its = iterate(s, e.its, held);
	const [body, size] = s.sized(() => s.wanted(s.expr(e.body), T.BOOLEAN));
	s.slots.length = depth;
	const stop = e.k === 'some';
	const run: Run = (env) => {
		let result: boolean | null = !stop;
		const done = walk(held.parts, 0, env, size, () => {
			const v = body.run(env);
			if (v === stop) result = stop;
			else if (v !== !stop) result = null;
			return v !== stop;
		});
		return done === null ? null : result;
	};
	return { expr: { ...e, its, body: body.expr }, ty: T.BOOLEAN, run };
}

/** The elements for which a condition holds, or the one at a position. */
export function filter(s: Scope, e: Expr & { k: 'filter' }): Part {
	const of = s.expr(e.of);
	const element = of.ty.t === 'list' ? of.ty.of : of.ty;
	const slot = s.slots.length;
	s.slots.push({ name: 'item', ty: element, ways: ways(s, e.of) });
	const [by, size] = s.sized(() => s.expr(e.by));
	s.slots.length = slot;
	const isNumber = by.ty.t === 'number';
	if (!isNumber && !T.fits(by.ty, T.BOOLEAN))
		s.fault(e.by.at, `A filter is a condition or a position; this is ${s.say(by.ty)}.`);
	const run: Run = (env) => {
		const v = of.run(env);
		const items = isList(v) ? v : v === null ? [] : [v];
		if (isNumber) return at(items, by.run(env));
		const out: Value[] = [];
		for (const item of items) {
			take(env, size);
			env.vars[slot] = item;
			const keep = by.run(env);
			if (keep instanceof Num) return at(items, keep);
			if (keep === true) out.push(item);
		}
		return out;
	};
	return {
		expr: { ...e, of: of.expr, by: by.expr },
		ty: isNumber ? element : T.listOf(element),
		run
	};
}
