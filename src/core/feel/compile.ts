/**
 * Turns a tree into a typed closure: one walk that binds texts to options, checks types, collects
 * what is read and builds the function. The bound tree is what gets stored.
 */
import { walk as walkTree } from '../document/walk';
import type { Definition, FieldRef, Schema } from '../document/model';
import * as n from '../value/num';
import { Num } from '../value/num';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from '../value/temporal';
import type { Value } from '../value/value';
import { Func, Range, isList, same } from '../value/value';
import { LimitError, heldList, heldText, take, takeFor } from './budget';
import { FUNCTIONS, SPECIAL } from './functions';
import { nearest, spell } from '../text/names';
import { parseExpression } from './parse';
import type { CmpOp, Expr, Fault, Image, Iteration, Span, Test, Tests } from '../document/tree';
import { FormulaError } from '../document/tree';
import type { Ty } from './types';
import * as T from './types';
import {
	isCompare,
	STEPS_OF,
	isDeep,
	takeForBoth,
	both,
	ORDER,
	cmp,
	equalLoose,
	within,
	isOneOf,
	NUMERIC,
	arithmeticType,
	arithmetic
} from './operators';
import { each, walk, at } from './loops';
import { PART_TYPES, partOf } from './parts';
import { INSTANCE, typeTest } from './instances';
import { isLiteral, fittingWay, takes, signature, runCall, textOf } from './calls';
import type { Env, Run, Read, Outside, Compiled, CompileOptions, Part } from './env';

/** How an expression comes to the records it gives. */
type Way = Pick<Read, 'via' | 'many' | 'param' | 'loose'>;

/** Compiles a formula. Faults are returned, not thrown; a faulty formula runs to null. */
export function compileExpression(expr: Expr, options: CompileOptions): Compiled {
	const c = new Compiler(options);
	let r = c.expr(expr, options.expected);
	if (options.expected && !c.faults.length) r = c.wanted(r, options.expected);
	return c.result(r);
}

/** Compiles the tests of a cell into a yes/no formula over {@link Env.input}. */
export function compileTests(
	tests: Tests,
	options: CompileOptions & { input: Ty }
): Compiled & { tests: Tests } {
	const c = new Compiler(options);
	const r = c.tests(tests, options.input, (env) => env.input);
	return { ...c.result({ expr: { k: 'null' }, ty: T.BOOLEAN, run: r.run }), tests: r.tests };
}

const NOTHING: Run = () => null;
/** Deepest calls of functions within functions. */
const MAX_CALLS = 100;
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

/** Most ways by which one expression comes to its records, and most links on one, to be followed backwards. */
const MOST_WAYS = 40;
const LONGEST_WAY = 20;
const LOOSE: readonly Way[] = [{ via: [], many: true, loose: true }];

const wayText = (w: Way) =>
	[w.many, w.param, w.loose, ...w.via.flatMap((v) => [v.type, v.field, v.back])].join('.');
const readKey = (r: Read) => [r.image, r.type, r.field, wayText(r)].join('.');
const unique = <T>(xs: readonly T[], key: (x: T) => string): T[] => [
	...new Map(xs.map((x) => [key(x), x])).values()
];

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

class Compiler {
	readonly faults: Fault[] = [];
	private readonly reads: Read[] = [];
	private readonly outside = new Set<Outside>();
	private readonly events: FieldRef[] = [];
	/** Steps of all nodes compiled so far: what one run of each takes. */
	private size = 0;
	private readonly known = new WeakMap<Expr, readonly Way[]>();
	private slots: { name: string; ty: Ty; ways?: readonly Way[] }[];
	private readonly schema: Schema;

	constructor(private o: CompileOptions) {
		this.schema = o.schema;
		this.slots = (o.variables ?? []).map((v, param) =>
			o.params ? { ...v, ways: [{ via: [], many: false, param }] } : v
		);
	}

	result(r: Part): Compiled {
		return {
			...r,
			run: this.faults.length ? NOTHING : r.run,
			reads: this.reads,
			outside: this.outside,
			events: this.events,
			faults: this.faults,
			size: this.size
		};
	}

	private fault(at: Span | undefined, message: string): void {
		this.faults.push({ message, from: at?.from ?? 0, to: at?.to ?? 0 });
	}

	private bad(e: Expr, message: string): Part {
		this.fault(e.at, message);
		return { expr: e, ty: T.ANY, run: NOTHING };
	}

	private say(ty: Ty): string {
		return T.sayType(ty, this.schema);
	}

	/** Checks a result against the type wanted, taking a date for a moment's date where that is exact. */
	wanted(r: Part, want: Ty): Part {
		if (T.fits(r.ty, want)) return r;
		if (want.t === 'list' && T.fits(r.ty, want.of)) {
			// one option where several are wanted is a list of one, as FEEL converts it
			const run = r.run;
			return {
				...r,
				ty: want,
				run: (e) => {
					const v = run(e);
					return v === null ? null : [v];
				}
			};
		}
		const hint =
			want.t === 'moment' && r.ty.t === 'date'
				? ' Use now for the moment of the change, or date and time(…).'
				: want.t === 'date' && r.ty.t === 'moment'
					? ' Use date(…) to take the date of it.'
					: want.t === 'text' && r.ty.t !== 'list'
						? ' Use string(…) to write it as text.'
						: '';
		this.fault(r.expr.at, `This is ${this.say(r.ty)}; ${this.say(want)} is wanted.${hint}`);
		return r;
	}

	// ---- leaves -----------------------------------------------------------------------------

	expr(e: Expr, expected?: Ty): Part {
		this.size += e.k === 'bin' ? STEPS_OF[e.op] : 1;
		switch (e.k) {
			case 'num': {
				const v = n.parseNum(e.v);
				return v ? this.constant(e, T.NUMBER, v) : this.bad(e, 'This number is out of range.');
			}
			case 'text':
				return this.text(e, expected);
			case 'bool':
				return this.constant(e, T.BOOLEAN, e.v);
			case 'null':
				return this.constant(e, T.NULL, null);
			case 'at':
				return this.literal(e);
			case 'option': {
				const list = this.schema.lists.get(e.list);
				if (!list || !this.schema.option(e.list, e.option))
					return this.bad(e, `This option is no longer in ${list?.label ?? 'its list'}.`);
				return this.constant(e, { t: 'choice', list: e.list }, e.option);
			}
			case 'field':
				return this.field(e);
			case 'through':
				return this.through(e);
			case 'related':
				return this.related(e);
			case 'env':
				return this.environment(e);
			case 'var':
				return this.variable(e);
			case 'path':
				return this.path(e);
			case 'neg':
				return this.negation(e);
			case 'bin':
				return this.binary(e);
			case 'and':
			case 'or':
				return this.logic(e);
			case 'between': {
				const x = this.expr(e.x);
				const [lo, hi] = [
					this.comparable(this.expr(e.lo, x.ty), x),
					this.comparable(this.expr(e.hi, x.ty), x)
				];
				const run: Run = (env) => {
					const v = x.run(env);
					return both(cmp('>=', v, lo.run(env)), cmp('<=', v, hi.run(env)));
				};
				return { expr: { ...e, x: x.expr, lo: lo.expr, hi: hi.expr }, ty: T.BOOLEAN, run };
			}
			case 'in': {
				const x = this.expr(e.x);
				const t = this.tests(e.tests, x.ty, x.run);
				return { expr: { ...e, x: x.expr, tests: t.tests }, ty: T.BOOLEAN, run: t.run };
			}
			case 'if': {
				const c = this.wanted(this.expr(e.c), T.BOOLEAN);
				let [t, f] = [this.expr(e.t, expected), this.expr(e.e, expected)];
				[t, f] = this.alike(t, f, e.t, e.e);
				const run: Run = (env) => (c.run(env) === true ? t.run(env) : f.run(env));
				return { expr: { ...e, c: c.expr, t: t.expr, e: f.expr }, ty: T.join(t.ty, f.ty), run };
			}
			case 'for':
				return this.loop(e);
			case 'some':
			case 'every':
				return this.quantified(e);
			case 'list':
				return this.list(e, expected);
			case 'context':
				return this.context(e);
			case 'range':
				return this.range(e);
			case 'filter':
				return this.filter(e);
			case 'call':
				return this.call(e, expected);
			case 'use':
				return this.use(e);
			case 'apply':
				return this.apply(e);
			case 'fn':
				return this.functionValue(e);
			case 'instance':
				return this.instance(e);
		}
	}

	private constant(e: Expr, ty: Ty, v: Value): Part {
		return { expr: e, ty, run: () => v };
	}

	private text(e: Expr & { k: 'text' }, expected?: Ty): Part {
		const want = expected?.t === 'list' ? expected.of : expected;
		if (want?.t !== 'choice') return this.constant(e, T.TEXT, e.v);
		const list = this.schema.lists.get(want.list);
		if (!list) return this.bad(e, 'The option list of this choice is no longer there.');
		const key = e.v.trim().toLowerCase();
		const found =
			list.options.find((o) => o.label === e.v) ??
			list.options.find((o) => o.label.toLowerCase() === key);
		if (!found) {
			const guess = nearest(
				e.v,
				list.options.map((o) => o.label)
			);
			const all = list.options.filter((o) => !o.retired).map((o) => `“${o.label}”`);
			const shown = all.slice(0, 12).join(', ') + (all.length > 12 ? ' …' : '');
			return this.bad(
				e,
				`${list.label} has no option “${e.v}”.${guess ? ` Did you mean “${guess}”?` : ''} It has ${shown}.`
			);
		}
		const bound: Expr = { k: 'option', list: list.id, option: found.id, at: e.at };
		return this.constant(bound, { t: 'choice', list: list.id }, found.id);
	}

	private literal(e: Expr & { k: 'at' }): Part {
		const d = LocalDate.parse(e.v);
		if (d) return this.constant(e, T.DATE, d);
		const t = LocalTime.parse(e.v);
		if (t) return this.constant(e, T.TIME, t);
		const ym = YearMonth.parse(e.v);
		if (ym) return this.constant(e, T.YEARMONTH, ym);
		const dt = DayTime.parse(e.v);
		if (dt) return this.constant(e, T.DAYTIME, dt);
		if (Moment.parse(e.v)) return this.constant(e, T.MOMENT, Moment.parse(e.v));
		// a moment in a named zone is read when it runs, where the zones are known
		if (/^[^@]+@\w+/.test(e.v))
			return { expr: e, ty: T.MOMENT, run: (env) => Moment.parse(e.v, env.zones) };
		return this.bad(
			e,
			`“${e.v}” is no date (2026-11-23), time (09:30:00), date and time or duration (P3D).`
		);
	}

	private image(image: Image): Image {
		return this.o.before && image === 'settled' ? 'was' : image;
	}

	private field(e: Expr & { k: 'field' }): Part {
		const f = this.schema.field(e.type, e.field);
		const i = this.schema.types.get(e.type)?.at.get(e.field);
		if (!f || i === undefined) return this.bad(e, 'This field is no longer there.');
		if (e.type !== this.o.type)
			return this.bad(e, `“${f.label}” is a field of another record type.`);
		const image = this.image(e.image);
		this.reads.push({ type: e.type, field: e.field, image, via: [], many: false });
		return { expr: e, ty: T.typeOfField(f), run: reader(image, i) };
	}

	private through(e: Expr & { k: 'through' }): Part {
		const of = this.expr(e.of);
		const f = this.schema.field(e.type, e.field);
		const i = this.schema.types.get(e.type)?.at.get(e.field);
		if (!f || i === undefined) return this.bad(e, 'This field is no longer there.');
		const single = of.ty.t === 'list' ? of.ty.of : of.ty;
		if (single.t === 'record' ? single.type !== e.type : single.t !== 'any' && single.t !== 'null')
			return this.bad(e, `“${f.label}” is no field of ${this.say(single)}.`);
		const image = this.image(imageOf(e.of));
		for (const way of this.ways(e.of))
			this.reads.push({ type: e.type, field: e.field, image, ...way });
		const one = (env: Env, id: Value): Value => {
			if (typeof id !== 'string') return null;
			const rec = env.record(e.type, id);
			return rec ? rec[image][i] : null;
		};
		const run: Run = (env) => {
			const v = of.run(env);
			return isList(v) ? each(v, env, (id) => one(env, id)) : one(env, v);
		};
		const ty = T.typeOfField(f);
		return { expr: { ...e, of: of.expr }, ty: of.ty.t === 'list' ? T.listOf(ty) : ty, run };
	}

	private related(e: Expr & { k: 'related' }): Part {
		const of = e.of && this.expr(e.of);
		const f = this.schema.field(e.type, e.field);
		if (!f || f.type !== 'link') return this.bad(e, 'This link is no longer there.');
		const owner = of ? of.ty : T.typeOfField({ type: 'link', target: this.o.type ?? '' });
		if (!T.fits(owner, T.typeOfField(f)))
			return this.bad(e, `“${f.label}” points to no ${this.say(owner).replace(/^a /, '')}.`);
		const image = this.image(e.of ? imageOf(e.of) : 'settled');
		for (const way of this.ways(e))
			this.reads.push({ type: e.type, field: e.field, image, ...way });
		const run: Run = (env) => {
			const id = of ? of.run(env) : (env.rec?.id ?? null);
			if (typeof id !== 'string') return null;
			const ids = env.related(e.type, e.field, id, image);
			take(env, ids.length);
			return ids;
		};
		const ty = T.listOf({ t: 'record', type: e.type });
		return { expr: of ? { ...e, of: of.expr } : e, ty, run };
	}

	/**
	 * How an expression comes to the records it gives: one way for each branch it may take. Too many
	 * of them, or too long ones, cannot be followed backwards.
	 */
	private ways(e: Expr): readonly Way[] {
		let known = this.known.get(e);
		if (!known) {
			known = unique(this.waysOf(e), wayText);
			if (known.length > MOST_WAYS || known.some((w) => w.via.length > LONGEST_WAY)) known = LOOSE;
			this.known.set(e, known);
		}
		return known;
	}

	private waysOf(e: Expr): readonly Way[] {
		switch (e.k) {
			case 'field':
				return [{ via: [{ type: e.type, field: e.field, back: false }], many: false }];
			case 'filter':
				return this.ways(e.of);
			case 'through':
			case 'related': {
				const back = e.k === 'related';
				const inner = e.of ? this.ways(e.of) : [{ via: [], many: false }];
				return inner.map((w) => ({
					...w,
					via: [...w.via, { type: e.type, field: e.field, back }],
					many: w.many || back
				}));
			}
			case 'if':
				return [...this.ways(e.t), ...this.ways(e.e)];
			case 'list':
				return e.items.flatMap((x) => this.ways(x));
			case 'call':
				return e.args.length ? e.args.flatMap((x) => this.ways(x)) : LOOSE;
			case 'null':
				return [];
			case 'var':
				for (let i = this.slots.length - 1; i >= 0; i--)
					if (this.slots[i].name === e.name) return this.slots[i].ways ?? LOOSE;
				return LOOSE;
			default:
				return LOOSE;
		}
	}

	private environment(e: Expr & { k: 'env' }): Part {
		this.outside.add(e.name);
		switch (e.name) {
			case 'now':
				return { expr: e, ty: T.MOMENT, run: (env) => env.now };
			case 'today':
				return { expr: e, ty: T.DATE, run: (env) => env.today };
			case 'person': {
				const type = this.schema.model.personType;
				return { expr: e, ty: type ? { t: 'record', type } : T.TEXT, run: (env) => env.person };
			}
			case 'entry point':
				return { expr: e, ty: T.TEXT, run: (env) => env.entryPoint };
		}
	}

	private variable(e: Expr & { k: 'var' }): Part {
		if (e.name === '?') {
			if (!this.o.input)
				return this.bad(e, '“?” stands for the value tested and is only known in a cell.');
			return { expr: e, ty: this.o.input, run: (env) => env.input };
		}
		for (let i = this.slots.length - 1; i >= 0; i--)
			if (this.slots[i].name === e.name)
				return { expr: e, ty: this.slots[i].ty, run: (env) => env.vars[i] ?? null };
		return this.bad(e, `There is no name “${e.name}” here.`);
	}

	// ---- operators --------------------------------------------------------------------------

	private path(e: Expr & { k: 'path' }): Part {
		const of = this.expr(e.of);
		const name = e.name;
		const known = PART_TYPES.get(of.ty.t)?.get(name);
		const single = of.ty.t === 'list' ? of.ty.of : of.ty;
		let ty: Ty = known ?? T.ANY;
		if (single.t === 'context' && single.keys) {
			const inner = single.keys.get(name);
			if (!inner)
				return this.bad(
					e,
					`There is no entry “${name}”; there are ${[...single.keys.keys()].join(', ')}.`
				);
			ty = of.ty.t === 'list' ? T.listOf(inner) : inner;
		} else if (!known && !['any', 'context', 'list', 'null'].includes(of.ty.t)) {
			const parts = [...(PART_TYPES.get(of.ty.t)?.keys() ?? [])];
			const hint = parts.length ? ` It has ${parts.join(', ')}.` : '';
			return this.bad(e, `${cap(this.say(of.ty))} has no part “${name}”.${hint}`);
		}
		const get = (v: Value): Value => partOf(v, name);
		const run: Run = (env) => {
			const v = of.run(env);
			return isList(v) ? each(v, env, get) : get(v);
		};
		return { expr: { ...e, of: of.expr }, ty, run };
	}

	private negation(e: Expr & { k: 'neg' }): Part {
		const a = this.expr(e.a);
		if (!['any', 'null', 'number', 'daytime', 'yearmonth'].includes(a.ty.t))
			return this.bad(e, `Minus is for numbers and durations; this is ${this.say(a.ty)}.`);
		const run: Run = (env) => {
			const v = a.run(env);
			if (v instanceof Num) return n.negate(v);
			if (v instanceof DayTime) return new DayTime(-v.ms);
			return v instanceof YearMonth ? new YearMonth(-v.months) : null;
		};
		return { expr: { ...e, a: a.expr }, ty: a.ty, run };
	}

	private logic(e: Expr & { k: 'and' | 'or' }): Part {
		const items = e.items.map((x) => {
			const p = this.expr(x);
			if (!T.fits(p.ty, T.BOOLEAN))
				this.fault(x.at, `Both sides of “${e.k}” are yes or no; this is ${this.say(p.ty)}.`);
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

	private binary(e: Expr & { k: 'bin' }): Part {
		if (isCompare(e.op)) return this.comparison(e, e.op);
		const [a, b] = [this.expr(e.a), this.expr(e.b)];
		const expr: Expr = { ...e, a: a.expr, b: b.expr };
		const ty = arithmeticType(e.op, a.ty, b.ty);
		if (!ty) {
			const hint =
				e.op === '+' && (a.ty.t === 'text' || b.ty.t === 'text')
					? ' Use string(…) to join a text with it.'
					: '';
			return this.bad(e, `“${e.op}” cannot join ${this.say(a.ty)} and ${this.say(b.ty)}.${hint}`);
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
	private comparison(e: Expr & { k: 'bin' }, op: CmpOp): Part {
		let [a, b] = [this.expr(e.a), this.expr(e.b)];
		[a, b] = this.alike(a, b, e.a, e.b);
		const expr: Expr = { ...e, a: a.expr, b: b.expr };
		if (!this.canCompare(e, op, a.ty, b.ty)) return { expr, ty: T.BOOLEAN, run: NOTHING };
		const [x, y] = [a.run, b.run];
		if (op === '=' || op === '!=') {
			const yes = op === '=';
			return {
				expr,
				ty: T.BOOLEAN,
				run: (env) => {
					const [p, q] = [x(env), y(env)];
					if (isDeep(p) && isDeep(q)) takeForBoth(env, p, q);
					const r = equalLoose(p, q);
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

	private canCompare(e: Expr, op: CmpOp, a: Ty, b: Ty): boolean {
		if (op !== '=' && op !== '!=') {
			const choice = [a, b].find((t) => t.t === 'choice');
			if (choice) {
				this.fault(e.at, `Options have no order of their own; compare position(…) instead.`);
				return false;
			}
			const unordered = [a, b].find((t) =>
				['boolean', 'record', 'list', 'context', 'function'].includes(t.t)
			);
			if (unordered) {
				this.fault(
					e.at,
					`“${op}” needs values with an order; this compares ${this.say(unordered)}.`
				);
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
		this.fault(e.at, `This compares ${this.say(a)} with ${this.say(b)}, which is never so.${hint}`);
		return false;
	}

	/** Where one side is a choice and the other a text literal, the text is read as an option. */
	private alike(a: Part, b: Part, ea: Expr, eb: Expr): [Part, Part] {
		const choice = (p: Part) =>
			p.ty.t === 'choice' ? p.ty : p.ty.t === 'list' && p.ty.of.t === 'choice' ? p.ty.of : null;
		const [ca, cb] = [choice(a), choice(b)];
		if (ca && isLiteral(eb)) return [a, this.expr(eb, eb.k === 'list' ? T.listOf(ca) : ca)];
		if (cb && isLiteral(ea)) return [this.expr(ea, ea.k === 'list' ? T.listOf(cb) : cb), b];
		return [a, b];
	}

	private comparable(b: Part, a: Part): Part {
		this.canCompare(b.expr, '<=', a.ty, b.ty);
		return b;
	}

	// ---- tests ------------------------------------------------------------------------------

	tests(tests: Tests, input: Ty, value: Run): { tests: Tests; run: Run } {
		const parts = tests.tests.map((t) => this.test(t, input, value));
		const runs = parts.map((p) => p.run);
		const any: Run = (env) => {
			let unknown = false;
			for (const r of runs) {
				const v = r(env);
				if (v === true) return true;
				if (v !== false) unknown = true;
			}
			return unknown ? null : false;
		};
		const run: Run = tests.not
			? (env) => {
					const v = any(env);
					return v === null ? null : !v;
				}
			: runs.length === 1
				? runs[0]
				: any;
		return { tests: { not: tests.not, tests: parts.map((p) => p.test) }, run };
	}

	private test(t: Test, input: Ty, value: Run): { test: Test; run: Run } {
		if (t.k === 'any') return { test: t, run: () => true };
		const want = input.t === 'list' ? input.of : input;
		if (t.k === 'cmp') {
			const e = this.expr(t.e, want);
			if (!this.canCompare(t.e, t.op, input, e.ty))
				return { test: { ...t, e: e.expr }, run: NOTHING };
			const run: Run = (env) => {
				const [v, w] = [value(env), e.run(env)];
				if (isDeep(v) && isDeep(w)) takeForBoth(env, v, w);
				return cmp(t.op, v, w);
			};
			return { test: { ...t, e: e.expr }, run };
		}
		const outer = this.o;
		const usesInput = mentions(t.e, '?');
		if (usesInput) this.o = { ...outer, input };
		const e = this.expr(t.e, want);
		this.o = outer;
		const test: Test = { k: 'is', e: e.expr };
		if (usesInput) {
			const run: Run = (env) => {
				const kept = env.input;
				env.input = value(env);
				const v = e.run(env);
				env.input = kept;
				return v;
			};
			return { test, run };
		}
		if (e.ty.t === 'range') {
			if (input.t !== 'any' && input.t !== 'null' && !T.fits(e.ty.of, input))
				this.canCompare(t.e, '<', input, e.ty.of);
			return { test, run: (env) => within(value(env), e.run(env)) };
		}
		if (e.ty.t !== 'list') {
			if (
				input.t === 'list' ? !T.fits(e.ty, input.of) : !T.fits(e.ty, input) && e.ty.t !== 'boolean'
			)
				this.canCompare(t.e, '=', input, e.ty);
		}
		const run: Run = (env) => {
			const [v, w] = [value(env), e.run(env)];
			if (isList(w)) {
				// each of one is held against each of the other
				for (let n = isList(v) ? v.length : 1; n > 0; n--) takeFor(env, w);
				for (let n = isDeep(v) ? w.length : 0; n > 0; n--) takeFor(env, v);
			}
			return isOneOf(v, w);
		};
		return { test, run };
	}

	// ---- lists, loops, contexts -------------------------------------------------------------

	private list(e: Expr & { k: 'list' }, expected?: Ty): Part {
		const want = expected?.t === 'list' ? expected.of : expected;
		const items = e.items.map((x) => this.expr(x, want));
		const of = items.length ? items.map((p) => p.ty).reduce(T.join) : T.ANY;
		const run: Run = (env) => items.map((p) => p.run(env));
		return { expr: { ...e, items: items.map((p) => p.expr) }, ty: T.listOf(of), run };
	}

	private context(e: Expr & { k: 'context' }): Part {
		const depth = this.slots.length;
		const parts: { key: string; p: Part; slot: number }[] = [];
		for (const { key, e: x } of e.entries) {
			const p = this.expr(x);
			parts.push({ key, p, slot: this.slots.length });
			this.slots.push({ name: key, ty: p.ty });
		}
		this.slots.length = depth;
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

	private range(e: Expr & { k: 'range' }): Part {
		const [lo, hi] = [e.lo && this.expr(e.lo), e.hi && this.expr(e.hi)];
		const of = T.join(lo?.ty ?? T.NULL, hi?.ty ?? T.NULL);
		for (const p of [lo, hi])
			if (p && ['boolean', 'list', 'context', 'choice', 'record'].includes(p.ty.t))
				this.fault(p.expr.at, `A range has ends with an order; this is ${this.say(p.ty)}.`);
		if (lo && hi && !T.fits(lo.ty, hi.ty) && !T.fits(hi.ty, lo.ty))
			this.fault(e.at, `The ends of this range are ${this.say(lo.ty)} and ${this.say(hi.ty)}.`);
		const run: Run = (env) =>
			new Range(lo ? lo.run(env) : null, e.loIn, hi ? hi.run(env) : null, e.hiIn);
		return { expr: { ...e, lo: lo?.expr ?? null, hi: hi?.expr ?? null }, ty: T.rangeOf(of), run };
	}

	/** Compiles something, and tells the steps that one run of it takes. */
	private sized(compile: () => Part): [Part, number] {
		const before = this.size;
		const part = compile();
		return [part, this.size - before];
	}

	private iterate(
		its: Iteration[],
		env0: { parts: { of: Part; to: Part | null; slot: number }[] }
	): Iteration[] {
		return its.map((it) => {
			const of = this.expr(it.of);
			const to = it.to && this.wanted(this.expr(it.to), T.NUMBER);
			const ty = to ? T.NUMBER : of.ty.t === 'list' || of.ty.t === 'range' ? of.ty.of : T.ANY;
			env0.parts.push({ of, to, slot: this.slots.length });
			this.slots.push({ name: it.name, ty, ways: this.ways(it.of) });
			return { name: it.name, of: of.expr, to: to?.expr ?? null };
		});
	}

	private loop(e: Expr & { k: 'for' }): Part {
		const depth = this.slots.length;
		const held: { parts: { of: Part; to: Part | null; slot: number }[] } = { parts: [] };
		const its = this.iterate(e.its, held);
		const partial = this.slots.length;
		this.slots.push({ name: 'partial', ty: T.listOf(T.ANY) });
		const [body, size] = this.sized(() => this.expr(e.body));
		this.slots.length = depth;
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

	private quantified(e: Expr & { k: 'some' | 'every' }): Part {
		const depth = this.slots.length;
		const held: { parts: { of: Part; to: Part | null; slot: number }[] } = { parts: [] };
		const its = this.iterate(e.its, held);
		const [body, size] = this.sized(() => this.wanted(this.expr(e.body), T.BOOLEAN));
		this.slots.length = depth;
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

	private filter(e: Expr & { k: 'filter' }): Part {
		const of = this.expr(e.of);
		const element = of.ty.t === 'list' ? of.ty.of : of.ty;
		const slot = this.slots.length;
		this.slots.push({ name: 'item', ty: element, ways: this.ways(e.of) });
		const [by, size] = this.sized(() => this.expr(e.by));
		this.slots.length = slot;
		const isNumber = by.ty.t === 'number';
		if (!isNumber && !T.fits(by.ty, T.BOOLEAN))
			this.fault(e.by.at, `A filter is a condition or a position; this is ${this.say(by.ty)}.`);
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

	// ---- functions --------------------------------------------------------------------------

	private functionValue(e: Expr & { k: 'fn' }): Part {
		const depth = this.slots.length;
		for (const p of e.params) this.slots.push({ name: p, ty: T.ANY });
		const [body, size] = this.sized(() => this.expr(e.body));
		this.slots.length = depth;
		const run: Run = (env) => {
			const captured = env.vars.slice(0, depth);
			return new Func(e.params, (args) => {
				take(env, size + captured.length);
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

	/** A definition: compiled once for a schema, run with its arguments as variables. */
	private use(e: Expr & { k: 'use' }): Part {
		const d = this.schema.definitions.get(e.definition);
		if (!d) return this.bad(e, 'This definition is no longer there.');
		if (d.type !== null && d.type !== this.o.type)
			return this.bad(e, `“${d.name}” reads fields of another record type.`);
		if (e.args.length !== d.params.length)
			return this.bad(e, `${d.name} takes ${d.params.map((p) => p.name).join(', ')}.`);
		const args = e.args.map((a, i) => {
			const want = T.typeOfField(d.params[i]);
			return this.wanted(this.expr(a, want), want);
		});
		const c = compileDefinition(d, this.schema, this.o.before);
		if (c.faults.length)
			return this.bad(e, `The definition “${d.name}” has a fault: ${c.faults[0].message}`);
		for (const r of c.reads) {
			if (r.param === undefined) this.reads.push(r);
			else
				for (const way of this.ways(e.args[r.param]))
					this.reads.push({
						...r,
						...way,
						via: [...way.via, ...r.via],
						many: way.many || r.many,
						param: way.param
					});
		}
		this.events.push(...c.events);
		c.outside.forEach((o) => this.outside.add(o));
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

	private apply(e: Expr & { k: 'apply' }): Part {
		const of = this.expr(e.of);
		if (of.ty.t !== 'function' && of.ty.t !== 'any')
			return this.bad(e, `Only a function can be called; this is ${this.say(of.ty)}.`);
		const args = e.args.map((a) => this.expr(a));
		const run: Run = (env) => {
			const f = of.run(env);
			if (!(f instanceof Func)) return null;
			return f.params.length === args.length ? f.call(args.map((a) => a.run(env))) : null;
		};
		return { expr: { ...e, of: of.expr, args: args.map((a) => a.expr) }, ty: T.ANY, run };
	}

	private call(e: Expr & { k: 'call' }, expected?: Ty): Part {
		const special = SPECIAL.find((s) => s.name === e.fn);
		if (special) return this.special(e, special.params);
		const ways = FUNCTIONS.get(e.fn);
		if (!ways) return this.bad(e, `There is no function “${e.fn}”.`);
		const able = ways.filter((d) => takes(d, e));
		if (!able.length) {
			const forms = ways.map(signature).join(' or ');
			return this.bad(e, `${e.fn} is called as ${forms}.`);
		}
		// where types tell which way is meant, the arguments are compiled before it is chosen, and once
		const early = able.length > 1 ? e.args.map((a) => this.expr(a)) : null;
		const way = early ? fittingWay(able, e, early) : able[0];
		if (way.labels) return this.stringOf(e);
		const places = e.names
			? e.args.map((_, i) => way.params.findIndex((p) => p.name === e.names![i]))
			: e.args.map((_, i) => i);
		const args = e.args.map((a, i) => {
			const spread = way.rest && places[i] >= way.params.length - 1;
			const want = spread ? undefined : way.params[places[i]].ty;
			// the second argument of `list contains` and the like is of the kind of the list
			const p = early?.[i] ?? this.expr(a, want?.t === 'any' ? undefined : want);
			return want && !(want.t === 'list' && p.ty.t !== 'list') ? this.wanted(p, want) : p;
		});
		let bound = this.bindElements(e, args);
		if (way.oneType && bound.length === 2)
			bound = this.alike(bound[0], bound[1], e.args[0], e.args[1]);
		const tys = bound.map((a) => a.ty);
		return {
			expr: { ...e, args: bound.map((a) => a.expr) },
			ty: way.gives?.(tys, expected) ?? way.ret,
			run: runCall(
				way,
				bound.map((a) => a.run),
				places
			)
		};
	}

	/** `list contains(permitted fuels, "Gas")`: texts are options where the list holds options. */
	private bindElements(e: Expr & { k: 'call' }, args: Part[]): Part[] {
		const of = args[0]?.ty.t === 'list' ? args[0].ty.of : null;
		if (of?.t !== 'choice') return args;
		return args.map((a, i) => {
			const x = e.args[i];
			if (i === 0 || !isLiteral(x)) return a;
			return this.expr(x, x.k === 'list' ? T.listOf(of) : of);
		});
	}

	private stringOf(e: Expr & { k: 'call' }): Part {
		const a = this.expr(e.args[0]);
		const show = textOf(a.ty, this.schema);
		const run: Run = (env) => {
			const v = a.run(env);
			takeFor(env, v);
			const text = show(v);
			return text === null ? null : heldText(text);
		};
		return { expr: { ...e, args: [a.expr] }, ty: T.TEXT, run };
	}

	private special(e: Expr & { k: 'call' }, params: string[]): Part {
		if (e.args.length !== params.length || e.names)
			return this.bad(e, `${e.fn} is called as ${e.fn}(${params.join(', ')}).`);
		const target = e.args[0];
		if (e.fn === 'position' || e.fn === 'label' || e.fn === 'code') {
			const a = this.expr(target);
			if (a.ty.t !== 'choice')
				return this.bad(target, `${e.fn}() is for a choice; this is ${this.say(a.ty)}.`);
			const list = a.ty.list;
			const run: Run = (env) => {
				const v = a.run(env);
				if (typeof v !== 'string') return null;
				if (e.fn !== 'position')
					return this.schema.option(list, v)?.[e.fn as 'label' | 'code'] ?? null;
				const i = this.schema.position(list, v);
				return i === undefined ? null : n.num(i + 1);
			};
			return { expr: { ...e, args: [a.expr] }, ty: e.fn === 'position' ? T.NUMBER : T.TEXT, run };
		}
		if (target.k !== 'field')
			return this.bad(
				target,
				`${e.fn}() names a field of the record itself, such as ${e.fn}(${spell(params[0])}).`
			);
		const f = this.expr(target);
		const i = this.schema.types.get(target.type)?.at.get(target.field);
		if (i === undefined) return f;
		this.events.push({ type: target.type, field: target.field });
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
			const [x, y] = [this.expr(e.args[1], f.ty), this.expr(e.args[2], f.ty)];
			for (const p of [x, y]) this.wanted(p, f.ty);
			const run = moved((a, b, env) => same(a, x.run(env)) && same(b, y.run(env)));
			return { expr: { ...e, args: [f.expr, x.expr, y.expr] }, ty: T.BOOLEAN, run };
		}
		if (f.ty.t !== 'choice')
			return this.bad(
				target,
				`${e.fn}() is for a choice, whose options have an order; this is ${this.say(f.ty)}.`
			);
		const list = f.ty.list;
		const sign = e.fn === 'moved forward' ? 1 : -1;
		const run = moved((a, b) => {
			if (typeof a !== 'string' || typeof b !== 'string') return false;
			const [p, q] = [this.schema.position(list, a), this.schema.position(list, b)];
			return p === undefined || q === undefined ? null : (q - p) * sign > 0;
		});
		return { expr: { ...e, args: [f.expr] }, ty: T.BOOLEAN, run };
	}

	private instance(e: Expr & { k: 'instance' }): Part {
		const x = this.expr(e.x);
		const test = typeTest(e.type);
		if (!test)
			return this.bad(
				e,
				`There is no type “${e.type}”; there are ${Object.keys(INSTANCE).join(', ')}.`
			);
		return { expr: { ...e, x: x.expr }, ty: T.BOOLEAN, run: (env) => test(x.run(env)) };
	}
}

const cap = (s: string) => s[0].toUpperCase() + s.slice(1);
function reader(image: Image, i: number): Run {
	if (image === 'was') return (env) => env.rec!.was[i];
	if (image === 'sent') return (env) => env.rec!.sent[i];
	return (env) => env.rec!.settled[i];
}

/** Which image a path reads: that of the field it begins with. What was sent is known of the record itself only. */
function imageOf(e: Expr): Image {
	if (e.k === 'field') return e.image === 'was' ? 'was' : 'settled';
	if (e.k === 'through' || e.k === 'filter') return imageOf(e.of);
	if (e.k === 'related') return e.of ? imageOf(e.of) : 'settled';
	return 'settled';
}

/** Whether a variable is named anywhere in a tree. */
function mentions(e: Expr, name: string): boolean {
	let found = false;
	walkTree(e, (x) => {
		if (x.k === 'var' && x.name === name) found = true;
		return !found;
	});
	return found;
}
