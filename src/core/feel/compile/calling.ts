/** Functions: those of the language, definitions, and those that a formula makes. */
import type { Expr } from '../../document/tree';
import { spell } from '../../text/names';
import type { Value } from '../../value/value';
import { Func, isList, same } from '../../value/value';
import { LimitError, heldText, take, takeFor } from '../budget';
import { FUNCTIONS, SPECIAL } from '../functions';
import { INSTANCE, typeTest } from '../instances';
import { isLiteral, fittingWay, takes, signature, runCall, textOf } from '../calls';
import type { Env, Run, Part } from '../env';
import type { Ty } from '../types';
import type { Scope } from './scope';
import { MAX_CALLS } from './scope';
import * as T from '../types';
import { ways, reader } from './reading';
import { alike } from './operations';
import { placeInList } from './places';
import { rollUp } from './roll-up';

/** A function that a formula makes, with the variables it saw. */
export function functionValue(s: Scope, e: Expr & { k: 'fn' }): Part {
	const depth = s.slots.length;
	for (const p of e.params) s.slots.push({ name: p, ty: T.ANY });
	const tests = e.types?.map((t) => {
		const test = typeTest(t);
		if (!test)
			s.fault(e.at, `There is no type “${t}”; there are ${Object.keys(INSTANCE).join(', ')}.`);
		return test;
	});
	const [body, size] = s.sized(() => s.expr(e.body));
	s.slots.length = depth;
	const run: Run = (env) => {
		const captured = env.vars.slice(0, depth);
		return new Func(e.params, (given) => {
			take(env, size + captured.length);
			const args = tests ? given.map((v, i) => conforming(v, tests[i])) : given;
			// a value that is not of its parameter's type makes the call void
			if (args.some((v, i) => v === null && (given[i] ?? null) !== null)) return null;
			if (env.depth >= MAX_CALLS) throw new LimitError('Functions call each other too deep.');
			const outer = env.vars;
			env.depth++;
			env.vars = captured.concat(e.params.map((_, i) => args[i] ?? null));
			const v = body.run(env);
			env.vars = outer;
			env.depth--;
			return v;
		});
	};
	return { expr: { ...e, body: body.expr }, ty: T.FUNCTION, run };
}

/** A value as a parameter of a type takes it: a list of one is its item, an item a list of one; else null. */
function conforming(v: Value, test: ((v: Value) => boolean) | null | undefined): Value {
	if (v === null || !test || test(v)) return v;
	if (isList(v)) return v.length === 1 && test(v[0]) ? v[0] : null;
	return test([v]) ? [v] : null;
}

/** A definition: compiled once for a schema, run with its arguments as variables. */
export function use(s: Scope, e: Expr & { k: 'use' }): Part {
	const d = s.schema.definitions.get(e.definition);
	if (!d) return s.bad(e, 'This definition is no longer there.');
	if (d.type !== null && d.type !== s.o.type)
		return s.bad(e, `“${d.name}” reads fields of another record type.`);
	if (e.args.length !== d.params.length)
		return s.bad(e, `${d.name} takes ${d.params.map((p) => p.name).join(', ')}.`);
	const args = e.args.map((a, i) => {
		const want = T.typeOfField(d.params[i]);
		return s.wanted(s.expr(a, want), want);
	});
	const c = s.definition(d);
	if (c.faults.length)
		return s.bad(e, `The definition “${d.name}” has a fault: ${c.faults[0].message}`);
	for (const r of c.reads) {
		if (r.param === undefined) s.reads.push(r);
		else
			for (const way of ways(s, e.args[r.param]))
				s.reads.push({
					...r,
					...way,
					via: [...way.via, ...r.via],
					many: way.many || r.many,
					param: way.param
				});
	}
	s.events.push(...c.events);
	c.outside.forEach((o) => s.outside.add(o));
	const { run: body, size } = c;
	const run: Run = (env) => {
		take(env, size);
		if (env.depth >= MAX_CALLS) throw new LimitError('Definitions use each other too deep.');
		const vars = args.map((a) => a.run(env));
		const outer = env.vars;
		env.depth++;
		env.vars = vars;
		const v = body(env);
		env.vars = outer;
		env.depth--;
		return v;
	};
	return { expr: { ...e, args: args.map((a) => a.expr) }, ty: c.ty, run };
}

/** A call of a function that is a value. */
export function apply(s: Scope, e: Expr & { k: 'apply' }): Part {
	const of = s.expr(e.of);
	if (of.ty.t !== 'function' && of.ty.t !== 'any')
		return s.bad(e, `Only a function can be called; this is ${s.say(of.ty)}.`);
	const args = e.args.map((a) => s.expr(a));
	const run: Run = (env) => {
		const f = of.run(env);
		if (!(f instanceof Func)) return null;
		if (f.params.length !== args.length) return null;
		if (!e.names) return f.call(args.map((a) => a.run(env)));
		const at = f.params.map((p) => e.names!.indexOf(p));
		return at.includes(-1) ? null : f.call(at.map((i) => args[i].run(env)));
	};
	return { expr: { ...e, of: of.expr, args: args.map((a) => a.expr) }, ty: T.ANY, run };
}

/** A call of a function of the language. */
export function call(s: Scope, e: Expr & { k: 'call' }, expected?: Ty): Part {
	const form = SPECIAL.find((s) => s.name === e.fn);
	if (form) return special(s, e, form.params);
	const ways = FUNCTIONS.get(e.fn);
	if (!ways) return s.bad(e, `There is no function “${e.fn}”.`);
	const able = ways.filter((d) => takes(d, e));
	if (!able.length) {
		const forms = ways.map(signature).join(' or ');
		return s.bad(e, `${e.fn} is called as ${forms}.`);
	}
	// where types tell which way is meant, the arguments are compiled before it is chosen, and once
	const early = able.length > 1 ? e.args.map((a) => s.expr(a)) : null;
	const way = early ? fittingWay(able, e, early) : able[0];
	if (way.labels) return stringOf(s, e);
	const places = e.names
		? e.args.map((_, i) => way.params.findIndex((p) => p.name === e.names![i]))
		: e.args.map((_, i) => i);
	const args = e.args.map((a, i) => {
		const spread = way.rest && places[i] >= way.params.length - 1;
		const want = spread ? undefined : way.params[places[i]].ty;
		// the second argument of `list contains` and the like is of the kind of the list
		const p = early?.[i] ?? s.expr(a, want?.t === 'any' ? undefined : want);
		return want && !(want.t === 'list' && p.ty.t !== 'list') ? s.wanted(p, want) : p;
	});
	let bound = bindElements(s, e, args);
	if (way.oneType && bound.length === 2) bound = alike(s, bound[0], bound[1], e.args[0], e.args[1]);
	const tys = bound.map((a) => a.ty);
	const expr = { ...e, args: bound.map((a) => a.expr) };
	return rollUp(s, expr, {
		expr,
		ty: way.gives?.(tys, expected) ?? way.ret,
		run: runCall(
			way,
			bound.map((a) => a.run),
			places
		)
	});
}

/** `list contains(permitted fuels, "Gas")`: texts are options where the list holds options. */
function bindElements(s: Scope, e: Expr & { k: 'call' }, args: Part[]): Part[] {
	const of = args[0]?.ty.t === 'list' ? args[0].ty.of : null;
	if (of?.t !== 'choice') return args;
	return args.map((a, i) => {
		const x = e.args[i];
		if (i === 0 || !isLiteral(x)) return a;
		return s.expr(x, x.k === 'list' ? T.listOf(of) : of);
	});
}

function stringOf(s: Scope, e: Expr & { k: 'call' }): Part {
	const a = s.expr(e.args[0]);
	const show = textOf(a.ty, s.schema);
	const run: Run = (env) => {
		const v = a.run(env);
		takeFor(env, v);
		const text = show(v);
		return text === null ? null : heldText(text);
	};
	return { expr: { ...e, args: [a.expr] }, ty: T.TEXT, run };
}

/** What a field moved from and to, null for anything; null when it is not called so. */
function movedSides(e: Expr & { k: 'call' }): [Expr | null, Expr | null] | null {
	const names = e.names ?? ['field', 'from', 'to'].slice(0, e.args.length);
	const known = names.every(
		(n, i) => ['field', 'from', 'to'].includes(n) && names.indexOf(n) === i
	);
	if (!known || names[0] !== 'field' || (!e.names && e.args.length !== 3)) return null;
	const side = (name: string) => e.args[names.indexOf(name)] ?? null;
	return [side('from'), side('to')];
}

/** Functions that name a field of the record rather than take its value, or an option’s place in its list. */
function special(s: Scope, e: Expr & { k: 'call' }, params: string[]): Part {
	const sides = e.fn === 'moved' ? movedSides(e) : null;
	if (e.fn === 'moved' ? !sides : e.args.length !== params.length || e.names)
		return s.bad(
			e,
			`${e.fn} is called as ${e.fn}(${params.join(', ')}).${e.fn === 'moved' ? ' Write anything for a side that does not matter: moved(stage, anything, "Won").' : ''}`
		);
	const target = e.args[0];
	if (e.fn === 'position') return placeInList(s, e).part;
	if (e.fn === 'label' || e.fn === 'code') {
		const a = s.expr(target);
		if (a.ty.t !== 'choice')
			return s.bad(target, `${e.fn}() is for a choice; this is ${s.say(a.ty)}.`);
		const { list } = a.ty;
		const what = e.fn;
		const run: Run = (env) => {
			const v = a.run(env);
			return typeof v === 'string' ? (s.schema.option(list, v)?.[what] ?? null) : null;
		};
		return { expr: { ...e, args: [a.expr] }, ty: T.TEXT, run };
	}
	if (target.k !== 'field')
		return s.bad(
			target,
			`${e.fn}() names a field of the record itself, such as ${e.fn}(${spell(params[0])}).`
		);
	const f = s.expr(target);
	const i = s.schema.types.get(target.type)?.at.get(target.field);
	if (i === undefined) return f;
	s.events.push({ type: target.type, field: target.field });
	const after = reader(target.image === 'sent' ? 'sent' : 'settled', i);
	const before = reader('was', i);
	const moved =
		(test: (a: Value, b: Value, env: Env) => boolean | null): Run =>
		(env) => {
			const [a, b] = [before(env), after(env)];
			return same(a, b) ? false : test(a, b, env);
		};
	if (e.fn === 'changed')
		return { expr: { ...e, args: [f.expr] }, ty: T.BOOLEAN, run: moved(() => true) };
	if (e.fn === 'moved') {
		const [x, y] = sides!.map((side) => side && s.wanted(s.expr(side, f.ty), f.ty));
		const run = moved((a, b, env) => (!x || same(a, x.run(env))) && (!y || same(b, y.run(env))));
		const args = [f, x, y].flatMap((p) => (p ? [p.expr] : []));
		return { expr: { ...e, args }, ty: T.BOOLEAN, run };
	}
	if (f.ty.t !== 'choice')
		return s.bad(
			target,
			`${e.fn}() is for a choice, whose options have an order; this is ${s.say(f.ty)}.`
		);
	const list = f.ty.list;
	const sign = e.fn === 'moved forward' ? 1 : -1;
	const run = moved((a, b) => {
		if (typeof a !== 'string' || typeof b !== 'string') return false;
		const [p, q] = [s.schema.position(list, a), s.schema.position(list, b)];
		return p === undefined || q === undefined ? null : (q - p) * sign > 0;
	});
	return { expr: { ...e, args: [f.expr] }, ty: T.BOOLEAN, run };
}

/** `instance of`. */
export function instance(s: Scope, e: Expr & { k: 'instance' }): Part {
	const x = s.expr(e.x);
	const test = typeTest(e.type);
	if (!test)
		return s.bad(e, `There is no type “${e.type}”; there are ${Object.keys(INSTANCE).join(', ')}.`);
	return { expr: { ...e, x: x.expr }, ty: T.BOOLEAN, run: (env) => test(x.run(env)) };
}
