/**
 * Turns a tree into a typed closure: one walk that binds texts to options, checks types, collects
 * what is read and builds the function. The bound tree is what gets stored. The parts of the walk are
 * in `compile/`.
 */
import type { Definition, Schema } from '../document/model';
import type { Expr, Tests } from '../document/tree';
import { FormulaError } from '../document/tree';
import * as n from '../value/num';
import { constant, hole, text, literal, environment, record, variable } from './compile/leaves';
import { field, through, related, path, unique, wayText } from './compile/reading';
import { negation, logic, binary, alike, comparable } from './compile/operations';
import { tests as testsOf } from './compile/tests';
import { list, context, range, loop, quantified, filter } from './compile/collections';
import { functionValue, use, apply, call, instance } from './compile/calling';
import { MAX_CALLS, NOTHING, Scope, type Walk } from './compile/scope';
import type { CompileOptions, Compiled, Part, Read, Run } from './env';
import { STEPS_OF, both, cmp } from './operators';
import { parseExpression } from './parse';
import type { Ty } from './types';
import * as T from './types';

/** Compiles a formula. Faults are returned, not thrown; a faulty formula runs to null. */
export function compileExpression(expr: Expr, options: CompileOptions): Compiled {
	const c = new Scope(options, WALK);
	let r = c.expr(expr, options.expected);
	if (options.expected && !c.faults.length) r = c.wanted(r, options.expected);
	return c.result(r);
}

/** Compiles the tests of a cell into a yes/no formula over {@link Env.input}. */
export function compileTests(
	tests: Tests,
	options: CompileOptions & { input: Ty }
): Compiled & { tests: Tests } {
	const c = new Scope(options, WALK);
	const r = testsOf(c, tests, options.input, (env) => env.input);
	return { ...c.result({ expr: { k: 'null' }, ty: T.BOOLEAN, run: r.run }), tests: r.tests };
}

const definitionsOf = new WeakMap<Schema, Map<string, Compiled | 'busy'>>();

/** Compiles a definition, once for each schema. A definition that uses itself has a fault that shows the way. */
export function compileDefinition(d: Definition, schema: Schema, before = false): Compiled {
	let cache = definitionsOf.get(schema);
	if (!cache) definitionsOf.set(schema, (cache = new Map<string, Compiled | 'busy'>()));
	const key = before ? `before ${d.id}` : d.id;
	const known = cache.get(key);
	if (known === 'busy') {
		const path = [...cache].filter(([, c]) => c === 'busy').map(([k]) => k.replace(/^before /, ''));
		const names = [...path.slice(path.indexOf(d.id)), d.id].map(
			(id) => schema.definitions.get(id)!.name
		);
		return faulty(`It uses itself: ${names.join(' → ')}.`);
	}
	if (known) return known;
	if ([...cache.values()].filter((c) => c === 'busy').length >= MAX_CALLS)
		return faulty(`More than ${MAX_CALLS} definitions use each other in a row.`);
	cache.set(key, 'busy');
	const variables = d.params.map((p) => ({ name: p.name, ty: T.typeOfField(p) }));
	let c: Compiled;
	try {
		const expr =
			'expr' in d.body
				? d.body.expr
				: parseExpression(d.body.text, {
						schema,
						type: d.type,
						variables: variables.map((v) => v.name)
					});
		const expected = d.result ? T.typeOfField(d.result) : undefined;
		c = compileExpression(expr, {
			schema,
			type: d.type,
			variables,
			params: true,
			expected,
			before
		});
	} catch (e) {
		if (!(e instanceof FormulaError)) {
			// what broke off is not known, and nothing is kept of it
			cache.delete(key);
			throw e;
		}
		c = { ...faulty(''), faults: [e.fault] };
	}
	// what a definition reads is told once: definitions that use each other twice would double it each time
	c = {
		...c,
		reads: unique(c.reads, readKey),
		events: unique(c.events, (e) => `${e.type}.${e.field}`)
	};
	cache.set(key, c);
	return c;
}

const readKey = (r: Read) => [r.image, r.type, r.field, wayText(r)].join('.');
function faulty(message: string): Compiled {
	return {
		expr: { k: 'null' },
		ty: T.ANY,
		run: NOTHING,
		reads: [],
		outside: new Set(),
		events: [],
		faults: [{ message, from: 0, to: 0 }],
		size: 1
	};
}

/** Compiles one node, and by it what lies within. */
function exprOf(s: Scope, e: Expr, expected?: Ty): Part {
	s.size += e.k === 'bin' ? STEPS_OF[e.op] : 1;
	switch (e.k) {
		case 'num': {
			const v = n.parseNum(e.v);
			return v ? constant(s, e, T.NUMBER, v) : s.bad(e, 'This number is out of range.');
		}
		case 'text':
			return text(s, e, expected);
		case 'bool':
			return constant(s, e, T.BOOLEAN, e.v);
		case 'null':
			return constant(s, e, T.NULL, null);
		case 'hole':
			return hole(s, e);
		case 'at':
			return literal(s, e);
		case 'option': {
			const list = s.schema.lists.get(e.list);
			if (!list || !s.schema.option(e.list, e.option))
				return s.bad(e, `This option is no longer in ${list?.label ?? 'its list'}.`);
			return constant(s, e, { t: 'choice', list: e.list }, e.option);
		}
		case 'field':
			return field(s, e);
		case 'through':
			return through(s, e);
		case 'related':
			return related(s, e);
		case 'record':
			return record(s, e);
		case 'env':
			return environment(s, e);
		case 'var':
			return variable(s, e);
		case 'path':
			return path(s, e);
		case 'neg':
			return negation(s, e);
		case 'bin':
			return binary(s, e);
		case 'and':
		case 'or':
			return logic(s, e);
		case 'between': {
			const x = s.expr(e.x);
			const [lo, hi] = [comparable(s, s.expr(e.lo, x.ty), x), comparable(s, s.expr(e.hi, x.ty), x)];
			const run: Run = (env) => {
				const v = x.run(env);
				return both(cmp('>=', v, lo.run(env)), cmp('<=', v, hi.run(env)));
			};
			return { expr: { ...e, x: x.expr, lo: lo.expr, hi: hi.expr }, ty: T.BOOLEAN, run };
		}
		case 'in': {
			const x = s.expr(e.x);
			const t = testsOf(s, e.tests, x.ty, x.run);
			return { expr: { ...e, x: x.expr, tests: t.tests }, ty: T.BOOLEAN, run: t.run };
		}
		case 'if': {
			const c = s.wanted(s.expr(e.c), T.BOOLEAN);
			let [t, f] = [s.expr(e.t, expected), s.expr(e.e, expected)];
			[t, f] = alike(s, t, f, e.t, e.e);
			const run: Run = (env) => (c.run(env) === true ? t.run(env) : f.run(env));
			return { expr: { ...e, c: c.expr, t: t.expr, e: f.expr }, ty: T.join(t.ty, f.ty), run };
		}
		case 'for':
			return loop(s, e);
		case 'some':
		case 'every':
			return quantified(s, e);
		case 'list':
			return list(s, e, expected);
		case 'context':
			return context(s, e);
		case 'range':
			return range(s, e);
		case 'filter':
			return filter(s, e);
		case 'call':
			return call(s, e, expected);
		case 'use':
			return use(s, e);
		case 'apply':
			return apply(s, e);
		case 'fn':
			return functionValue(s, e);
		case 'instance':
			return instance(s, e);
	}
}

const WALK: Walk = { expr: exprOf, definition: compileDefinition };
