/**
 * Turns a tree into a typed closure: one walk that binds texts to options, checks types, collects
 * what is read and builds the function. The bound tree is what gets stored.
 */
import type { Definition, FieldRef, Schema } from '../model/model';
import type { MatchKey } from '../text/match';
import * as n from '../value/num';
import { Num } from '../value/num';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from '../value/temporal';
import type { Value } from '../value/value';
import { Func, Range, equal, isBlank, isContext, isList, order, same } from '../value/value';
import type { FnDef, FnEnv } from './functions';
import { FUNCTIONS, MAX_LIST, MAX_TEXT, SPECIAL } from './functions';
import { nearest, spell } from './names';
import { parseExpression } from './parse';
import type { BinOp, CmpOp, Expr, Fault, Image, Iteration, Span, Test, Tests } from './tree';
import { FormulaError } from './tree';
import type { Ty } from './types';
import * as T from './types';

/** One record as formulas see it: arrays in the order of the type's fields. */
export interface RecordView {
	readonly type: string;
	readonly id: string;
	/** The stored values before the change. */
	readonly was: readonly Value[];
	/** What the change asks for: the value sent, else `was`. */
	readonly sent: readonly Value[];
	/** The settled values, right for every field already settled in this pass. */
	readonly settled: readonly Value[];
}

/** What a formula runs in. */
export interface Env extends FnEnv {
	rec: RecordView | null;
	/** The value a test is put to: `?`. */
	input: Value;
	/** Local variables by slot. */
	vars: Value[];
	readonly now: Moment;
	readonly today: LocalDate;
	/** Record id of the person who makes the change. */
	readonly person: string | null;
	readonly entryPoint: string;
	/** The record a link points to; throws {@link PendingRecord} when it is not at hand. */
	record: (type: string, id: string) => RecordView | null;
	/** Ids of the records of a type whose link points to a record. */
	related: (type: string, field: string, id: string, image: Image) => readonly string[];
	/** Ids, lowest first, of the records of a type whose fields meet every key. */
	matching: (type: string, keys: readonly MatchKey[]) => readonly string[];
	/** Steps left before {@link LimitError}. */
	steps: number;
	/** How many functions deep it is. */
	depth: number;
}

export type Run = (env: Env) => Value;

/** A formula took more steps than are allowed, or built too long a value. */
export class LimitError extends Error {
	constructor(what: string) {
		super(what);
		this.name = 'LimitError';
	}
}

/** A field that a formula reads. */
export interface Read extends FieldRef {
	image: Image;
	/** The links followed to get there, from the record at hand; empty for its own fields. */
	via: Step[];
	/** Reached through the other side of a link, from any number of records. */
	many: boolean;
	/** The way begins at a parameter of a definition (its place), not at the record at hand. */
	param?: number;
	/** The way there cannot be followed backwards: by the person's record, or through values of unknown origin. */
	loose?: boolean;
}

/** One step along a link: to the record it points to, or back to all the records that point here. */
export interface Step extends FieldRef {
	back: boolean;
}

/** How an expression comes to the records it gives. */
type Way = Pick<Read, 'via' | 'many' | 'param' | 'loose'>;

/** What else than fields the result depends on. */
export type Outside = 'now' | 'today' | 'person' | 'entry point';

/** A compiled formula. */
export interface Compiled {
	/** The tree with texts bound to options. */
	expr: Expr;
	ty: Ty;
	run: Run;
	reads: Read[];
	outside: Set<Outside>;
	/** Fields asked about by changed() and moved(). */
	events: FieldRef[];
	faults: Fault[];
}

export interface CompileOptions {
	schema: Schema;
	/** The record type whose fields may be read. */
	type: string | null;
	/** The type the result must have. */
	expected?: Ty;
	/** Types of the variables, in the order of their slots in {@link Env.vars}. */
	variables?: readonly { name: string; ty: Ty }[];
	/** The variables are parameters of a definition: what is read through them begins there. */
	params?: boolean;
	/** Type of `?`. */
	input?: Ty;
	/** Reads settled values as they were before the change: for *entering*. */
	before?: boolean;
}

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
		if (!(e instanceof FormulaError)) throw e;
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

const readKey = (r: Read) =>
	[
		r.image,
		r.type,
		r.field,
		r.many,
		r.param,
		r.loose,
		...r.via.flatMap((v) => [v.type, v.field, v.back])
	].join('.');
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
		faults: [{ message, from: 0, to: 0 }]
	};
}

interface Part {
	expr: Expr;
	ty: Ty;
	run: Run;
}

class Compiler {
	readonly faults: Fault[] = [];
	private readonly reads: Read[] = [];
	private readonly outside = new Set<Outside>();
	private readonly events: FieldRef[] = [];
	private slots: { name: string; ty: Ty; ways?: Way[] }[];
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
			faults: this.faults
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
		const image = this.image(e.image);
		this.reads.push({ type: e.type, field: e.field, image, via: [], many: false });
		return { expr: e, ty: T.typeOfField(f), run: reader(image, i) };
	}

	private through(e: Expr & { k: 'through' }): Part {
		const of = this.expr(e.of);
		const f = this.schema.field(e.type, e.field);
		const i = this.schema.types.get(e.type)?.at.get(e.field);
		if (!f || i === undefined) return this.bad(e, 'This field is no longer there.');
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
			return isList(v) ? v.map((id) => one(env, id)) : one(env, v);
		};
		const ty = T.typeOfField(f);
		return { expr: { ...e, of: of.expr }, ty: of.ty.t === 'list' ? T.listOf(ty) : ty, run };
	}

	private related(e: Expr & { k: 'related' }): Part {
		const of = e.of && this.expr(e.of);
		const f = this.schema.field(e.type, e.field);
		if (!f) return this.bad(e, 'This link is no longer there.');
		const image = this.image(e.of ? imageOf(e.of) : 'settled');
		for (const way of this.ways(e))
			this.reads.push({ type: e.type, field: e.field, image, ...way });
		const run: Run = (env) => {
			const id = of ? of.run(env) : (env.rec?.id ?? null);
			return typeof id === 'string' ? env.related(e.type, e.field, id, image) : null;
		};
		const ty = T.listOf({ t: 'record', type: e.type });
		return { expr: of ? { ...e, of: of.expr } : e, ty, run };
	}

	/** How an expression comes to the records it gives: one way for each branch it may take. */
	private ways(e: Expr): Way[] {
		const loose: Way[] = [{ via: [], many: true, loose: true }];
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
				return e.args.length ? e.args.flatMap((x) => this.ways(x)) : loose;
			case 'null':
				return [];
			case 'var':
				for (let i = this.slots.length - 1; i >= 0; i--)
					if (this.slots[i].name === e.name) return this.slots[i].ways ?? loose;
				return loose;
			default:
				return loose;
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
		const known = PART_TYPES[of.ty.t]?.[name];
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
			const parts = Object.keys(PART_TYPES[of.ty.t] ?? {});
			const hint = parts.length ? ` It has ${parts.join(', ')}.` : '';
			return this.bad(e, `${cap(this.say(of.ty))} has no part “${name}”.${hint}`);
		}
		const get = (v: Value): Value => partOf(v, name);
		const run: Run = (env) => {
			const v = of.run(env);
			return isList(v) ? v.map(get) : get(v);
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
					return p === null || q === null ? null : f(p, q);
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
					const r = equalLoose(x(env), y(env));
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
		const literal = (x: Expr): boolean =>
			x.k === 'text' ||
			(x.k === 'list' && x.items.length > 0 && x.items.every((i) => i.k === 'text'));
		const [ca, cb] = [choice(a), choice(b)];
		if (ca && literal(eb)) return [a, this.expr(eb, eb.k === 'list' ? T.listOf(ca) : ca)];
		if (cb && literal(ea)) return [this.expr(ea, ea.k === 'list' ? T.listOf(cb) : cb), b];
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
			const run: Run = (env) => cmp(t.op, value(env), e.run(env));
			return { test: { ...t, e: e.expr }, run };
		}
		const outer = this.o;
		const usesInput = mentionsInput(t.e);
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
		return { test, run: (env) => isOneOf(value(env), e.run(env)) };
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
		const body = this.expr(e.body);
		this.slots.length = depth;
		const run: Run = (env) => {
			const out: Value[] = [];
			env.vars[partial] = out;
			return walk(held.parts, 0, env, () => {
				out.push(body.run(env));
				if (out.length > MAX_LIST) throw new LimitError(`A list may have ${MAX_LIST} items.`);
				return true;
			}) === null
				? null
				: out.slice();
		};
		return { expr: { ...e, its, body: body.expr }, ty: T.listOf(body.ty), run };
	}

	private quantified(e: Expr & { k: 'some' | 'every' }): Part {
		const depth = this.slots.length;
		const held: { parts: { of: Part; to: Part | null; slot: number }[] } = { parts: [] };
		const its = this.iterate(e.its, held);
		const body = this.wanted(this.expr(e.body), T.BOOLEAN);
		this.slots.length = depth;
		const stop = e.k === 'some';
		const run: Run = (env) => {
			let result: boolean | null = !stop;
			const done = walk(held.parts, 0, env, () => {
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
		const by = this.expr(e.by);
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
				step(env);
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
		const body = this.expr(e.body);
		this.slots.length = depth;
		const run: Run = (env) => {
			const captured = env.vars.slice(0, depth);
			return new Func(e.params, (args) => {
				step(env);
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
		const body = c.run;
		const run: Run = (env) => {
			step(env);
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
			step(env);
			return f.params.length === args.length ? f.call(args.map((a) => a.run(env))) : null;
		};
		return { expr: { ...e, of: of.expr, args: args.map((a) => a.expr) }, ty: T.ANY, run };
	}

	private call(e: Expr & { k: 'call' }, expected?: Ty): Part {
		const special = SPECIAL.find((s) => s.name === e.fn);
		if (special) return this.special(e, special.params);
		const ways = FUNCTIONS.get(e.fn);
		if (!ways) return this.bad(e, `There is no function “${e.fn}”.`);
		const way = this.wayOf(ways, e);
		if (!way) {
			const forms = ways.map(signature).join(' or ');
			return this.bad(e, `${e.fn} is called as ${forms}.`);
		}
		if (e.fn === 'string' && e.args.length === 1) return this.stringOf(e);
		const order0 = e.names
			? e.args.map((_, i) => way.params.findIndex((p) => p.name === e.names![i]))
			: e.args.map((_, i) => i);
		const args = e.args.map((a, i) => {
			const spread = way.rest && order0[i] >= way.params.length - 1;
			const want = spread ? undefined : way.params[order0[i]].ty;
			// the second argument of `list contains` and the like is of the kind of the list
			const p = this.expr(a, want?.t === 'any' ? undefined : want);
			return want && !(want.t === 'list' && p.ty.t !== 'list') ? this.wanted(p, want) : p;
		});
		const bound = this.bindElements(e, args);
		const run = runCall(
			way,
			bound.map((a) => a.run),
			order0
		);
		let ty = way.ret;
		const first = bound[0]?.ty;
		if (ty.t === 'any' && e.fn === 'otherwise') {
			const [x, y] = this.alike(bound[0], bound[1], e.args[0], e.args[1]);
			return {
				expr: { ...e, args: [x.expr, y.expr] },
				ty: T.join(x.ty, y.ty),
				run: runCall(way, [x.run, y.run], order0)
			};
		}
		if (ty.t === 'any' && ['min', 'max', 'abs'].includes(e.fn) && first)
			ty = first.t === 'list' ? first.of : first;
		if (
			ty.t === 'list' &&
			first?.t === 'list' &&
			['reverse', 'sublist', 'distinct values', 'sort', 'remove'].includes(e.fn)
		)
			ty = first;
		if (
			ty.t === 'list' &&
			expected?.t === 'list' &&
			['append', 'concatenate', 'union'].includes(e.fn) &&
			first?.t === 'list'
		)
			ty = first;
		return { expr: { ...e, args: bound.map((a) => a.expr) }, ty, run };
	}

	/** The way of calling a function that fits the arguments: by their number, then by their types. */
	private wayOf(ways: readonly FnDef[], e: Expr & { k: 'call' }): FnDef | undefined {
		const able = ways.filter((d) => takes(d, e));
		if (able.length < 2) return able[0];
		const marks = [this.faults.length, this.reads.length, this.events.length];
		const tys = e.args.map((a) => this.expr(a).ty);
		[this.faults.length, this.reads.length, this.events.length] = marks;
		const fitting = able.find((d) =>
			tys.every((ty, i) => {
				const at = e.names ? d.params.findIndex((p) => p.name === e.names![i]) : i;
				return T.fits(ty, d.params[Math.min(at, d.params.length - 1)].ty);
			})
		);
		return fitting ?? able[0];
	}

	/** `list contains(permitted fuels, "Gas")`: texts are options where the list holds options. */
	private bindElements(e: Expr & { k: 'call' }, args: Part[]): Part[] {
		const of = args[0]?.ty.t === 'list' ? args[0].ty.of : null;
		if (of?.t !== 'choice') return args;
		return args.map((a, i) => {
			const x = e.args[i];
			if (i === 0 || (x.k !== 'text' && x.k !== 'list')) return a;
			return this.expr(x, x.k === 'list' ? T.listOf(of) : of);
		});
	}

	private stringOf(e: Expr & { k: 'call' }): Part {
		const a = this.expr(e.args[0]);
		const show = textOf(a.ty, this.schema);
		return { expr: { ...e, args: [a.expr] }, ty: T.TEXT, run: (env) => show(a.run(env)) };
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

// ---- helpers without state ------------------------------------------------------------------------

const cap = (s: string) => s[0].toUpperCase() + s.slice(1);
const isCompare = (op: BinOp): op is CmpOp => ['=', '!=', '<', '<=', '>', '>='].includes(op);

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

function step(env: Env) {
	if (--env.steps < 0) throw new LimitError('This formula takes too many steps.');
}

function walk(
	parts: { of: Part; to: Part | null; slot: number }[],
	i: number,
	env: Env,
	body: () => boolean
): boolean | null {
	if (i === parts.length) {
		step(env);
		return body();
	}
	const { of, to, slot } = parts[i];
	const first = of.run(env);
	const items =
		to || first instanceof Range
			? counted(first, to ? to.run(env) : null)
			: isList(first)
				? first
				: first === null
					? null
					: [first];
	if (!items) return null;
	for (const item of items) {
		env.vars[slot] = item;
		const go = walk(parts, i + 1, env, body);
		if (!go) return go;
	}
	return true;
}

function* countedItems(from: number, to: number): Iterable<Num> {
	const by = from <= to ? 1 : -1;
	for (let i = from; by > 0 ? i <= to : i >= to; i += by) yield n.num(i);
}

function counted(a: Value, b: Value): Iterable<Value> | null {
	if (a instanceof Range) {
		if (a.lo instanceof LocalDate && a.hi instanceof LocalDate)
			return days(a.lo.epochDay, a.hi.epochDay);
		return counted(a.lo, a.hi);
	}
	const [x, y] = [
		a instanceof Num ? n.toInteger(a) : null,
		b instanceof Num ? n.toInteger(b) : null
	];
	return x === null || y === null ? null : countedItems(x, y);
}

function* days(from: number, to: number): Iterable<Value> {
	const by = from <= to ? 1 : -1;
	for (let i = from; by > 0 ? i <= to : i >= to; i += by) yield LocalDate.fromEpochDay(i);
}

function at(items: readonly Value[], position: Value): Value {
	const i = position instanceof Num ? n.toInteger(position) : null;
	if (i === null || i === 0) return null;
	return items[i > 0 ? i - 1 : items.length + i] ?? null;
}

function both(a: boolean | null, b: boolean | null): boolean | null {
	if (a === false || b === false) return false;
	return a === null || b === null ? null : true;
}

const ORDER: Record<'<' | '<=' | '>' | '>=', (o: number) => boolean> = {
	'<': (o) => o < 0,
	'<=': (o) => o <= 0,
	'>': (o) => o > 0,
	'>=': (o) => o >= 0
};

function cmp(op: CmpOp, a: Value, b: Value): boolean | null {
	if (op === '=' || op === '!=') {
		const r = equalLoose(a, b);
		return r === null ? null : r === (op === '=');
	}
	const o = order(a, b);
	return o === null ? null : ORDER[op](o);
}

/** Equality where a multi-choice is compared: a set has no order, and a list of one is its item. */
function equalLoose(a: Value, b: Value): boolean | null {
	if (isList(a) && isList(b)) return equal(a, b);
	if (isList(a) && a.length === 1 && b !== null) return equal(a[0], b);
	if (isList(b) && b.length === 1 && a !== null) return equal(a, b[0]);
	return equal(a, b);
}

function within(v: Value, r: Value): boolean | null {
	if (!(r instanceof Range)) return null;
	const low = r.lo === null ? true : cmp(r.loIn ? '>=' : '>', v, r.lo);
	const high = r.hi === null ? true : cmp(r.hiIn ? '<=' : '<', v, r.hi);
	return both(low, high);
}

function isOneOf(v: Value, test: Value): boolean | null {
	if (test instanceof Range) return within(v, test);
	if (isList(test)) {
		// a set meets a list when it is that list or has one of its items
		if (isList(v) && equal(v, test) === true) return true;
		const items = isList(v) ? v : [v];
		return test.some((t) => items.some((x) => isOneOf(x, t) === true));
	}
	if (isList(v)) return v.some((x) => equal(x, test) === true);
	if (typeof test === 'boolean' && typeof v !== 'boolean') return test;
	return equal(v, test);
}

function mentionsInput(e: unknown): boolean {
	if (typeof e !== 'object' || e === null) return false;
	if ((e as Expr).k === 'var' && (e as { name: string }).name === '?') return true;
	return Object.values(e).some((x) =>
		Array.isArray(x) ? x.some(mentionsInput) : mentionsInput(x)
	);
}

const NUMERIC: Partial<Record<BinOp, (a: Num, b: Num) => Num | null>> = {
	'+': n.add,
	'-': n.sub,
	'*': n.mul,
	'/': n.div,
	'**': n.pow
};

function arithmeticType(op: BinOp, a: Ty, b: Ty): Ty | null {
	const [x, y] = [a.t, b.t];
	if (x === 'any' || y === 'any') return T.ANY;
	if (x === 'null') return b;
	if (y === 'null') return a;
	if (x === 'number' && y === 'number') return T.NUMBER;
	const isDur = (t: string) => t === 'daytime' || t === 'yearmonth';
	if (op === '+') {
		if (x === 'text' && y === 'text') return T.TEXT;
		if (x === y && isDur(x)) return a;
		if ((x === 'date' || x === 'moment') && isDur(y)) return a;
		if ((y === 'date' || y === 'moment') && isDur(x)) return b;
		if (x === 'time' && y === 'daytime') return a;
		if (y === 'time' && x === 'daytime') return b;
	}
	if (op === '-') {
		if (x === y && isDur(x)) return a;
		if (['date', 'moment'].includes(x) && ['date', 'moment'].includes(y)) return T.DAYTIME;
		if (x === 'time' && y === 'time') return T.DAYTIME;
		if ((x === 'date' || x === 'moment') && isDur(y)) return a;
		if (x === 'time' && y === 'daytime') return a;
	}
	if (op === '*' && ((isDur(x) && y === 'number') || (isDur(y) && x === 'number')))
		return isDur(x) ? a : b;
	if (op === '/' && isDur(x)) return y === 'number' ? a : x === y ? T.NUMBER : null;
	return null;
}

function arithmetic(op: BinOp, a: Value, b: Value, env: Env): Value {
	if (a === null || b === null) return null;
	if (a instanceof Num && b instanceof Num) return NUMERIC[op]!(a, b);
	if (op === '+' && typeof a === 'string' && typeof b === 'string') {
		if (a.length + b.length > MAX_TEXT)
			throw new LimitError(`A text may have ${MAX_TEXT} characters.`);
		return a + b;
	}
	if (op === '+' || op === '-') {
		const sign = op === '+' ? 1 : -1;
		if (a instanceof DayTime && b instanceof DayTime) return new DayTime(a.ms + sign * b.ms);
		if (a instanceof YearMonth && b instanceof YearMonth)
			return new YearMonth(a.months + sign * b.months);
		if (op === '+' && (a instanceof DayTime || a instanceof YearMonth))
			return arithmetic('+', b, a, env);
		if (a instanceof LocalDate) {
			if (b instanceof DayTime)
				return LocalDate.fromEpochDay(a.epochDay + Math.floor((sign * b.ms) / 86_400_000));
			if (b instanceof YearMonth) return a.plusMonths(sign * b.months);
		}
		if (a instanceof LocalTime && b instanceof DayTime) {
			const ms = (((a.ms + sign * b.ms) % 86_400_000) + 86_400_000) % 86_400_000;
			return new LocalTime(ms, a.offset);
		}
		if (a instanceof Moment && b instanceof YearMonth) {
			const d = a.date.plusMonths(sign * b.months);
			return (
				d &&
				(a.zone
					? Moment.inZone(d, new LocalTime(a.time.ms), a.zone, env.zones)
					: new Moment(d, a.time))
			);
		}
		if (a instanceof Moment && b instanceof DayTime) return plusTime(a, sign * b.ms, env);
		if (op === '-') {
			const [p, q] = [instantOf(a), instantOf(b)];
			if (p && q && p.zoned === q.zoned) return new DayTime(p.ms - q.ms);
			if (a instanceof LocalTime && b instanceof LocalTime)
				return new DayTime(a.ms - (a.offset ?? 0) * 1000 - b.ms + (b.offset ?? 0) * 1000);
		}
		return null;
	}
	if (op === '*' && a instanceof Num) return arithmetic('*', b, a, env);
	if (b instanceof Num && (op === '*' || op === '/')) {
		const k = op === '*' ? b.toDouble() : 1 / b.toDouble();
		if (!Number.isFinite(k)) return null;
		if (a instanceof DayTime) return new DayTime(Math.trunc(a.ms * k));
		if (a instanceof YearMonth) return new YearMonth(Math.trunc(a.months * k));
	}
	if (op === '/') {
		if (a instanceof DayTime && b instanceof DayTime) return n.div(n.num(a.ms), n.num(b.ms));
		if (a instanceof YearMonth && b instanceof YearMonth)
			return n.div(n.num(a.months), n.num(b.months));
	}
	return null;
}

function instantOf(v: Value): { ms: number; zoned: boolean } | null {
	if (v instanceof LocalDate) return { ms: v.epochDay * 86_400_000, zoned: true };
	if (v instanceof Moment) return { ms: v.epochMs, zoned: v.time.offset !== null };
	return null;
}

function plusTime(m: Moment, ms: number, env: Env): Moment | null {
	const instant = m.epochMs + ms;
	if (m.zone) return Moment.fromInstant(instant, m.zone, env.zones);
	const local = instant + (m.time.offset ?? 0) * 1000;
	const day = Math.floor(local / 86_400_000);
	const date = LocalDate.fromEpochDay(day);
	return date && new Moment(date, new LocalTime(local - day * 86_400_000, m.time.offset));
}

const NUMBER_PARTS = (names: string) =>
	Object.fromEntries(names.split(' ').map((p) => [p, T.NUMBER]));
const PART_TYPES: Record<string, Record<string, Ty>> = {
	date: NUMBER_PARTS('year month day weekday'),
	time: { ...NUMBER_PARTS('hour minute second'), 'time offset': T.DAYTIME, timezone: T.TEXT },
	moment: {
		...NUMBER_PARTS('year month day weekday hour minute second'),
		'time offset': T.DAYTIME,
		timezone: T.TEXT
	},
	daytime: { ...NUMBER_PARTS('days hours minutes seconds'), value: T.NUMBER },
	yearmonth: { ...NUMBER_PARTS('years months'), value: T.NUMBER },
	range: { start: T.ANY, end: T.ANY, 'start included': T.BOOLEAN, 'end included': T.BOOLEAN }
};

function partOf(v: Value, name: string): Value {
	if (isContext(v)) return v.get(name) ?? null;
	const date = v instanceof Moment ? v.date : v instanceof LocalDate ? v : null;
	const time = v instanceof Moment ? v.time : v instanceof LocalTime ? v : null;
	if (date && (name === 'year' || name === 'month' || name === 'day' || name === 'weekday'))
		return n.num(date[name]);
	if (time) {
		if (name === 'hour' || name === 'minute' || name === 'second') return n.num(time[name]);
		if (name === 'time offset')
			return time.offset === null ? null : new DayTime(time.offset * 1000);
		if (name === 'timezone') return v instanceof Moment ? v.zone : null;
	}
	if (v instanceof DayTime) {
		const abs = Math.abs(v.ms);
		const sign = v.ms < 0 ? -1 : 1;
		const parts: Record<string, number> = {
			days: Math.floor(abs / 86_400_000),
			hours: Math.floor(abs / 3_600_000) % 24,
			minutes: Math.floor(abs / 60_000) % 60,
			seconds: Math.floor(abs / 1000) % 60
		};
		if (name in parts) return n.num(sign * parts[name]);
		return name === 'value' ? n.div(n.num(v.ms), n.num(1000)) : null;
	}
	if (v instanceof YearMonth) {
		if (name === 'years') return n.num(Math.trunc(v.months / 12));
		if (name === 'months') return n.num(v.months % 12);
		return name === 'value' ? n.num(v.months) : null;
	}
	if (v instanceof Range) {
		const parts: Record<string, Value> = {
			start: v.lo,
			end: v.hi,
			'start included': v.loIn,
			'end included': v.hiIn
		};
		return parts[name] ?? null;
	}
	return null;
}

const INSTANCE: Record<string, (v: Value) => boolean> = {
	number: (v) => v instanceof Num,
	string: (v) => typeof v === 'string',
	boolean: (v) => typeof v === 'boolean',
	date: (v) => v instanceof LocalDate,
	time: (v) => v instanceof LocalTime,
	'date and time': (v) => v instanceof Moment,
	'days and time duration': (v) => v instanceof DayTime,
	'years and months duration': (v) => v instanceof YearMonth,
	list: (v) => isList(v),
	context: (v) => isContext(v),
	function: (v) => v instanceof Func,
	Any: (v) => v !== null,
	Null: (v) => v === null
};

/** The test that `instance of` makes for a type: `list<number>` asks each item, `context<a: number>` each entry. */
function typeTest(type: string): ((v: Value) => boolean) | null {
	const m = /^(\w+)<(.*)>$/s.exec(type);
	if (type.startsWith('function<')) return (v) => v instanceof Func;
	if (!m) return Object.hasOwn(INSTANCE, type) ? INSTANCE[type] : null;
	const [, name, inner] = m;
	if (name === 'list' || name === 'range') {
		const of = typeTest(inner);
		if (!of) return null;
		const end = (v: Value) => v === null || of(v);
		if (name === 'range') return (v) => v instanceof Range && end(v.lo) && end(v.hi);
		return (v) => isList(v) && v.every(end);
	}
	if (name !== 'context') return null;
	const entries = splitTypes(inner).map((x) => {
		const colon = x.indexOf(': ');
		return { key: x.slice(0, colon), of: typeTest(x.slice(colon + 2)) };
	});
	if (entries.some((x) => !x.of)) return null;
	return (v) =>
		isContext(v) &&
		entries.every(({ key, of }) => v.has(key) && (v.get(key) === null || of!(v.get(key)!)));
}

/** Parts `a: list<x, y>, b: z` at the commas that stand in no angle brackets. */
function splitTypes(text: string): string[] {
	const out: string[] = [];
	let depth = 0;
	let from = 0;
	for (let i = 0; i <= text.length; i++) {
		if (text[i] === '<') depth++;
		else if (text[i] === '>') depth--;
		else if (i === text.length || (text[i] === ',' && !depth)) {
			out.push(text.slice(from, i).trim());
			from = i + 1;
		}
	}
	return out;
}

function takes(d: FnDef, e: Expr & { k: 'call' }): boolean {
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

function runCall(d: FnDef, args: Run[], to: number[]): Run {
	const last = d.params.length - 1;
	return (env) => {
		const given: Value[] = [];
		for (let i = 0; i < args.length; i++) {
			const v = args[i](env);
			if (d.rest && to[i] >= last) {
				// one list stands for its items: sum([1, 2]) is sum(1, 2)
				const alone =
					isList(v) &&
					args.length === last + 1 &&
					!['append', 'concatenate', 'union'].includes(d.name);
				if (alone) given[last] = v;
				else given[last] = [...((given[last] as Value[]) ?? []), v];
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
			if (!d.nulls && given[i] !== undefined && !isOf(given[i], ty)) return null;
		}
		step(env);
		return d.call(given, env);
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

/** How a value of a type is written as text: options by their label. */
export function textOf(ty: Ty, schema: Schema): (v: Value) => string | null {
	if (ty.t === 'choice')
		return (v) => (typeof v === 'string' ? (schema.option(ty.list, v)?.label ?? v) : null);
	if (ty.t === 'list') {
		const one = textOf(ty.of, schema);
		return (v) => (isList(v) ? v.map((x) => one(x) ?? '').join(', ') : one(v));
	}
	return (v) =>
		isBlank(v)
			? null
			: typeof v === 'string'
				? v
				: isList(v)
					? v.map(String).join(', ')
					: String(v);
}
