/**
 * Decision tables: rows of tests over inputs, and a hit policy that says what several matching rows
 * mean (DMN 1.5, chapter 8).
 */
import type { Compiled, Env, Read, Run } from '../feel/env';
import { compileExpression, compileTests } from '../feel/compile';
import { parseExpression, parseTests } from '../feel/parse';
import { printExpression, printTests } from '../feel/print';
import type { Fault, Tests } from '../document/tree';
import { FormulaError } from '../document/tree';
import type { Ty } from '../feel/types';
import { ANY, NUMBER, typeOfField } from '../feel/types';
import { fromJson } from '../fields/codec';
import type { Field, FieldRef, Schema } from '../document/model';
import type { Cell, DecisionBody, Formula, HitPolicy } from '../document/rules';
import * as n from '../value/num';
import { Num } from '../value/num';
import type { Value } from '../value/value';
import { order, same } from '../value/value';
import type { IndexedCell } from './row-index';
import { RowIndex } from './row-index';

/** Most rows and inputs of a decision table. */
export const MAX_DECISION_ROWS = 5_000;
export const MAX_DECISION_INPUTS = 50;

/** A fault of a table, at its input, its cell or what a row gives. */
export interface DecisionFault extends Fault {
	at:
		| { what: 'input'; input: number }
		| { what: 'cell' | 'then'; row: number; column: number }
		| { what: 'table' };
}

/** What a table gives for one output. */
export type Hit =
	| { got: true; value: Value; rows: readonly number[] }
	| { got: false; why: 'no row' | 'blank' | 'several' | 'null'; rows: readonly number[] };

/** How a row fared: the zero-based cell that failed first, or null when it matched. */
export interface RowTrace {
	row: number;
	cell: number | null;
	/** The cell could not tell, since something in it is blank. */
	unknown?: boolean;
	/** Every other cell of the row holds. */
	alone?: boolean;
}

export interface CompiledDecision {
	faults: DecisionFault[];
	reads: Read[];
	events: FieldRef[];
	outside: Compiled['outside'];
	/** What the table gives for one output (zero-based). */
	run(output: number, env: Env): Hit;
	/** How each row fares, with the values of the inputs. */
	trace(env: Env): { inputs: Value[]; rows: RowTrace[] };
}

interface Row {
	cells: IndexedCell[];
	then: (Run | null)[];
}

/** From so many rows on, a table is asked by its index. */
const INDEXED_ROWS = 16;

/** Hit policies that give a list, and those that add the results up. */
const LISTS: readonly HitPolicy[] = ['R', 'O', 'C'];
const SUMS: readonly HitPolicy[] = ['C+', 'C<', 'C>'];

/** The type that one row must give for an output, under a hit policy. */
export function rowType(hit: HitPolicy, field: Field): Ty {
	const ty = typeOfField(field);
	if (hit === 'C#') return ANY;
	if (SUMS.includes(hit)) return NUMBER;
	if (LISTS.includes(hit)) return ty.t === 'list' ? ty.of : ANY;
	return ty;
}

interface CellScope {
	schema: Schema;
	type: string;
	before?: boolean;
}

interface ReadCell {
	text: string;
	compiled: (Compiled & { tests: Tests }) | null;
	faults: Fault[];
}

/** What parts of tables were read as, by the part: an edit of one cell reads that cell and no other. */
const known = new WeakMap<object, { scope: CellScope; as: string; read: unknown }>();

/** A type as text; null where two could be spelled alike. */
function spelledType(ty: Ty | undefined): string | null {
	for (let t = ty; t; t = 'of' in t ? t.of : undefined) if (t.t === 'context') return null;
	return JSON.stringify(ty ?? null);
}

/** What a part is read as, worked out once where it lies in the same scope. @param as the type that is wanted of it */
function readOnce<T>(part: object, scope: CellScope, as: Ty | undefined, read: () => T): T {
	const key = spelledType(as);
	// what a context holds is not spelled
	if (key === null) return read();
	const had = known.get(part);
	const { schema, type, before } = scope;
	if (
		had?.as === key &&
		had.scope.schema === schema &&
		had.scope.type === type &&
		!had.scope.before === !before
	)
		return had.read as T;
	const made = read();
	known.set(part, { scope: { schema, type, before }, as: key, read: made });
	return made;
}

/** The tests of a cell with their text and faults, for the editor and the compiler alike. */
export const readCell = (cell: Cell, input: Ty, scope: CellScope): ReadCell =>
	readOnce(cell, scope, input, () => readAnew(cell, input, scope));

function readAnew(cell: Cell, input: Ty, scope: CellScope): ReadCell {
	if ('tests' in cell) {
		const stored = cell.tests;
		let printed: string | undefined;
		const compiled = compileTests(stored, { ...scope, input });
		if (!compiled.faults.length)
			return {
				get text() {
					return (printed ??= printTests(stored, scope.schema).text);
				},
				compiled,
				faults: []
			};
	}
	let text: string;
	let tests: Tests;
	if ('tests' in cell) ({ text, tests } = printTests(cell.tests, scope.schema));
	else {
		text = cell.text;
		try {
			tests = text.trim() ? parseTests(text, scope) : { not: false, tests: [{ k: 'any' }] };
		} catch (e) {
			if (e instanceof FormulaError) return { text, compiled: null, faults: [e.fault] };
			throw e;
		}
	}
	const compiled = compileTests(tests, { ...scope, input });
	return { text, compiled, faults: compiled.faults };
}

/** Compiles a table for the fields it writes. Faults are collected; a faulty table must not be run. */
export function compileDecision(
	body: DecisionBody,
	fields: readonly Field[],
	scope: CellScope
): CompiledDecision {
	return new DecisionCompiler(body, fields, scope).result();
}

class DecisionCompiler {
	private readonly faults: DecisionFault[] = [];
	private readonly reads: Read[] = [];
	private readonly events: FieldRef[] = [];
	private readonly outside: Compiled['outside'] = new Set();

	constructor(
		private readonly body: DecisionBody,
		private readonly fields: readonly Field[],
		private readonly scope: CellScope
	) {}

	private fault(at: DecisionFault['at'], f: Fault | string) {
		if (this.faults.length < 100)
			this.faults.push(typeof f === 'string' ? { message: f, from: 0, to: 0, at } : { ...f, at });
	}

	private note(c: Compiled) {
		this.reads.push(...c.reads);
		this.events.push(...c.events);
		c.outside.forEach((o) => this.outside.add(o));
	}

	result(): CompiledDecision {
		const { body } = this;
		const inputs = body.inputs.map((f, input) => this.formula(f, { what: 'input', input }));
		if (!inputs.length) this.fault({ what: 'table' }, 'This table has no input yet.');
		if (body.rows.length > MAX_DECISION_ROWS || inputs.length > MAX_DECISION_INPUTS)
			this.fault(
				{ what: 'table' },
				`A table may have ${MAX_DECISION_ROWS} rows and ${MAX_DECISION_INPUTS} inputs.`
			);
		const lists = LISTS.includes(body.hit);
		for (const f of this.fields) {
			const ty = typeOfField(f);
			if (lists && ty.t !== 'list')
				this.fault(
					{ what: 'table' },
					`This hit policy gives a list; ${f.label} holds one value. Choose another, or a multi-choice.`
				);
			if ((body.hit === 'C#' || SUMS.includes(body.hit)) && ty.t !== 'number')
				this.fault({ what: 'table' }, `This hit policy gives a number; ${f.label} holds none.`);
		}
		const rows = body.rows.map((r, row): Row => ({
			cells: body.inputs.map((_, column) => {
				const ty = inputs[column]?.ty ?? ANY;
				const c = readCell(r.when[column] ?? { text: '-' }, ty, this.scope);
				for (const f of c.faults) this.fault({ what: 'cell', row, column }, f);
				if (c.compiled) this.note(c.compiled);
				return { tests: c.compiled?.tests ?? null, run: c.compiled?.run ?? (() => null) };
			}),
			then: this.fields.map((field, column) => {
				const f = r.then[column];
				if (!f) return null;
				const c = this.formula(f, { what: 'then', row, column }, rowType(body.hit, field));
				return c?.run ?? null;
			})
		}));
		const runs = inputs.map((c): Run => c?.run ?? (() => null));
		const ranks =
			body.hit === 'P' || body.hit === 'O' ? this.fields.map((f, i) => this.rank(f, i)) : [];
		const rowsAt = new Matching(body.hit, runs, rows, this.fields.length > 1);
		return {
			faults: this.faults,
			reads: this.reads,
			events: this.events,
			outside: this.outside,
			run: (output, env) => hit(body.hit, rowsAt, rows, ranks, output, env),
			trace: (env) => trace(runs, rows, env)
		};
	}

	private formula(f: Formula, at: DecisionFault['at'], expected?: Ty): Compiled | null {
		const { compiled: c, faults } = readOnce(f, this.scope, expected, () => {
			try {
				const expr =
					'expr' in f
						? printExpression(f.expr, this.scope.schema).expr
						: parseExpression(f.text, this.scope);
				const compiled = compileExpression(expr, { ...this.scope, expected });
				return { compiled, faults: compiled.faults };
			} catch (e) {
				if (!(e instanceof FormulaError)) throw e;
				return { compiled: null, faults: [e.fault] };
			}
		});
		for (const x of faults) this.fault(at, x);
		if (c) this.note(c);
		return c;
	}

	/** How far down the list of important values a value stands. */
	private rank(field: Field, output: number): (v: Value) => number {
		const { schema } = this.scope;
		const given = this.body.priority?.[output];
		const listed: Value[] = given
			? given.map((json) => {
					const r = fromJson(field, json, schema);
					return r.ok ? r.value : null;
				})
			: field.list
				? schema.lists.get(field.list)!.options.map((o) => o.id)
				: [];
		if (!listed.length)
			this.fault(
				{ what: 'table' },
				`This hit policy needs the values of ${field.label}, most important first.`
			);
		return (v) => {
			const i = listed.findIndex((x) => same(x, v));
			return i < 0 ? listed.length : i;
		};
	}
}

interface Matched {
	/** Of the inputs. */
	values: readonly Value[];
	rows: readonly number[];
}

/** Which rows match: asked once for all outputs, where it hangs on the inputs alone. */
class Matching {
	private index: RowIndex | null = null;
	private last: Matched | null = null;

	/** @param again the same is asked for several outputs */
	constructor(
		private readonly policy: HitPolicy,
		private readonly inputs: readonly Run[],
		private readonly rows: readonly Row[],
		private readonly again: boolean
	) {}

	at(env: Env): Matched {
		const values = this.inputs.map((r) => r(env));
		const { last, rows } = this;
		if (last && values.every((v, k) => v === last.values[k])) return last;
		if (rows.length >= INDEXED_ROWS)
			this.index ??= new RowIndex(
				rows.map((r) => r.cells),
				this.inputs.length,
				env
			);
		const out: Matched = { values, rows: this.matching(values, env) };
		if (this.again && this.index?.plain) this.last = out;
		return out;
	}

	private matching(values: readonly Value[], env: Env): number[] {
		const { rows, policy, index } = this;
		const kept = env.input;
		const out: number[] = [];
		const ask = (i: number): boolean => {
			const { cells } = rows[i];
			for (let k = 0; k < cells.length; k++) {
				env.input = values[k];
				if (cells[k].run(env) !== true) return false;
			}
			out.push(i);
			return policy === 'F';
		};
		if (index) index.visit(values, ask);
		else for (let i = 0; i < rows.length; i++) if (ask(i)) break;
		env.input = kept;
		return out;
	}
}

function hit(
	policy: HitPolicy,
	matching: Matching,
	rows: readonly Row[],
	ranks: readonly ((v: Value) => number)[],
	output: number,
	env: Env
): Hit {
	const m = matching.at(env);
	const give = (i: number, o = output): Value => rows[i].then[o]?.(env) ?? null;
	const single = (value: Value, from: readonly number[]): Hit =>
		value === null ? { got: false, why: 'null', rows: from } : { got: true, value, rows: from };
	if (policy === 'C#') return single(n.num(m.rows.length), m.rows);
	if (!m.rows.length)
		return { got: false, why: m.values.includes(null) ? 'blank' : 'no row', rows: [] };
	switch (policy) {
		case 'U':
			if (m.rows.length > 1) return { got: false, why: 'several', rows: m.rows };
			return single(give(m.rows[0]), m.rows);
		case 'F':
			return single(give(m.rows[0]), m.rows);
		case 'A': {
			const outputs = rows[0].then.map((_, o) => o);
			const [first, ...rest] = m.rows;
			const differs = rest.some((r) => outputs.some((o) => !same(give(r, o), give(first, o))));
			return differs ? { got: false, why: 'several', rows: m.rows } : single(give(first), m.rows);
		}
		case 'P': {
			const [best] = byRank(m.rows, ranks, give);
			return single(give(best), [best]);
		}
		case 'O':
			return single(texts(byRank(m.rows, ranks, give).map((r) => give(r))), m.rows);
		case 'R':
		case 'C':
			return single(texts(m.rows.map((r) => give(r))), m.rows);
		default:
			return single(
				aggregate(
					policy,
					m.rows.map((r) => give(r))
				),
				m.rows
			);
	}
}

/** A list as a field holds it: without blanks, each value once. */
function texts(values: Value[]): Value {
	const out: Value[] = [];
	for (const v of values) if (v !== null && !out.some((x) => same(x, v))) out.push(v);
	return out.length ? out : null;
}

function byRank(
	rows: readonly number[],
	ranks: readonly ((v: Value) => number)[],
	give: (row: number, output: number) => Value
): number[] {
	return [...rows].sort((a, b) => {
		for (let o = 0; o < ranks.length; o++) {
			const d = ranks[o](give(a, o)) - ranks[o](give(b, o));
			if (d) return d;
		}
		return a - b;
	});
}

function aggregate(policy: HitPolicy, values: Value[]): Value {
	const numbers = values.filter((v) => v instanceof Num);
	if (!numbers.length) return null;
	if (policy === 'C+') return numbers.reduce<Num | null>((a, b) => a && n.add(a, b), n.num(0));
	const sign = policy === 'C<' ? -1 : 1;
	return numbers.reduce((a, b) => ((order(b, a) ?? 0) * sign > 0 ? b : a));
}

function trace(inputs: readonly Run[], rows: readonly Row[], env: Env) {
	const values = inputs.map((r) => r(env));
	const kept = env.input;
	const out: RowTrace[] = rows.map(({ cells }, row) => {
		let failed: RowTrace | null = null;
		for (let k = 0; k < cells.length; k++) {
			env.input = values[k];
			const v = cells[k].run(env);
			if (v === true) continue;
			if (failed) return failed;
			failed = { row, cell: k, ...(v === false ? {} : { unknown: true }) };
		}
		return failed ? { ...failed, alone: true } : { row, cell: null };
	});
	env.input = kept;
	return { inputs: values, rows: out };
}
