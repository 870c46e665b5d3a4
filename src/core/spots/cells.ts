/**
 * The cells of a formula: so few combinations of values that every value of its fields falls together
 * with one of them, as far as its tests can tell. Exact, where it answers at all: a formula that
 * only compares fields with constants has the same truth all over a cell, so trying one value of
 * each is a proof.
 */
import type { Expr, Test } from '../document/tree';
import { currencyDigits } from '../fields/currency';
import type { Field, Schema } from '../document/model';
import { walk } from '../document/walk';
import * as n from '../value/num';
import { Num, parseNum } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { order } from '../value/value';

/** A field read as it is: its own, or through links that lead to one record. */
export interface Spot {
	/** The links on the way, from the record at hand. */
	via: { type: string; field: string }[];
	type: string;
	field: Field;
}

/** A spot and a value for each stretch in which no test on it changes its mind; blank is one of them. */
export interface Axis {
	spot: Spot;
	values: Value[];
}

/** Most combinations that are tried. */
export const MOST_CELLS = 20_000;

const keyOf = (s: Spot) => [...s.via.map((v) => v.field), s.type, s.field.id].join('.');

/** Whether two spots read the same field of the same record. */
export const sameSpot = (a: Spot, b: Spot) => keyOf(a) === keyOf(b);

/** The spot that an expression reads as it is, or null. */
export function spotOf(e: Expr, schema: Schema): Spot | null {
	if (e.k === 'field') {
		const field = e.image === 'settled' ? schema.field(e.type, e.field) : undefined;
		return field ? { via: [], type: e.type, field } : null;
	}
	if (e.k !== 'through') return null;
	const of = spotOf(e.of, schema);
	const field = schema.field(e.type, e.field);
	if (!of || !field || of.field.type !== 'link') return null;
	return { via: [...of.via, { type: of.type, field: of.field.id }], type: e.type, field };
}

/** A constant that a test compares with; undefined when it is none. */
function constantOf(e: Expr): Value | undefined {
	switch (e.k) {
		case 'num':
			return parseNum(e.v);
		case 'text':
			return e.v.trim() === '' ? null : e.v;
		case 'bool':
			return e.v;
		case 'null':
			return null;
		case 'option':
			return e.option;
		case 'at':
			return LocalDate.parse(e.v) ?? undefined;
		case 'neg': {
			const v = constantOf(e.a);
			return v instanceof Num ? n.negate(v) : undefined;
		}
		case 'call':
			return e.fn === 'date' && e.args.length === 1 && e.args[0].k === 'text'
				? (LocalDate.parse(e.args[0].v) ?? undefined)
				: undefined;
		default:
			return undefined;
	}
}

/** Whether less and more of a field parts its values into stretches that are known here. */
const ordered = (f: Field) => ['number', 'percent', 'money', 'date'].includes(f.type);

class Collector {
	readonly spots = new Map<string, { spot: Spot; constants: Value[] }>();
	exact = true;

	constructor(private readonly schema: Schema) {}

	private note(spot: Spot, ...constants: Value[]) {
		const key = keyOf(spot);
		const had = this.spots.get(key) ?? { spot, constants: [] };
		had.constants.push(...constants);
		this.spots.set(key, had);
	}

	/** An expression whose truth is asked for. */
	truth(e: Expr): void {
		switch (e.k) {
			case 'and':
			case 'or':
				return e.items.forEach((x) => this.truth(x));
			case 'bool':
			case 'null':
				return;
			case 'if':
				this.truth(e.c);
				this.truth(e.t);
				return this.truth(e.e);
			case 'call': {
				const [x] = e.args;
				if (e.fn === 'not' && e.args.length === 1) return this.truth(x);
				if (e.fn === 'is blank' && e.args.length === 1) return this.value(x);
				if (e.fn === 'otherwise' && e.args.length === 2)
					return e.args.forEach((a) => this.truth(a));
				break;
			}
			case 'bin':
				if (['=', '!=', '<', '<=', '>', '>='].includes(e.op))
					return this.compare(e.a, e.b, e.op === '=' || e.op === '!=');
				break;
			case 'between': {
				const [x, lo, hi] = [spotOf(e.x, this.schema), constantOf(e.lo), constantOf(e.hi)];
				if (x && lo !== undefined && hi !== undefined && ordered(x.field))
					return this.note(x, lo, hi);
				break;
			}
			case 'in': {
				const x = spotOf(e.x, this.schema);
				if (x) return e.tests.tests.forEach((t) => this.test(x, t));
				break;
			}
			case 'field':
			case 'through': {
				const spot = spotOf(e, this.schema);
				if (spot) return this.note(spot);
				break;
			}
		}
		this.exact = false;
	}

	private compare(a: Expr, b: Expr, equality: boolean) {
		for (const [x, y] of [
			[a, b],
			[b, a]
		]) {
			const spot = spotOf(x, this.schema);
			const c = constantOf(y);
			if (spot && c !== undefined && (equality || ordered(spot.field))) {
				this.note(spot, c);
				return;
			}
		}
		this.exact = false;
	}

	private test(x: Spot, t: Test) {
		if (t.k === 'any') return;
		const e = t.e;
		if (t.k === 'is' && e.k === 'range') {
			for (const end of [e.lo, e.hi]) {
				if (!end) continue;
				const c = constantOf(end);
				if (c === undefined || !ordered(x.field)) this.exact = false;
				else this.note(x, c);
			}
			return;
		}
		if (t.k === 'is' && e.k === 'list') {
			for (const item of e.items) this.test(x, { k: 'is', e: item });
			return;
		}
		const c = constantOf(e);
		const ordering = t.k === 'cmp' && t.op !== '=' && t.op !== '!=';
		if (c === undefined || (ordering && !ordered(x.field))) this.exact = false;
		else this.note(x, c);
	}

	/** An expression of which it is asked whether it has a value at all. */
	value(e: Expr): void {
		const spot = spotOf(e, this.schema);
		if (spot) return this.note(spot);
		if (constantOf(e) !== undefined) return;
		if (e.k === 'if') {
			this.truth(e.c);
			this.value(e.t);
			return this.value(e.e);
		}
		if (e.k === 'neg') return this.value(e.a);
		if (e.k === 'bin' && ['+', '-', '*'].includes(e.op)) {
			this.value(e.a);
			return this.value(e.b);
		}
		if (e.k === 'call' && e.fn === 'otherwise') return e.args.forEach((a) => this.value(a));
		this.truth(e);
	}
}

/**
 * The axes along which some expressions change their mind; null when they do more than compare
 * fields with constants, or when there are too many combinations.
 * @param truths expressions whose truth is asked for
 * @param values expressions of which it is asked whether they have a value
 * @param read fields (own) that are read besides, as they are
 */
export function axesOf(
	schema: Schema,
	truths: readonly Expr[],
	values: readonly Expr[] = [],
	read: readonly { spot: Spot; constants: Value[] }[] = []
): Axis[] | null {
	const c = new Collector(schema);
	truths.forEach((e) => c.truth(e));
	values.forEach((e) => c.value(e));
	for (const r of read) {
		const key = keyOf(r.spot);
		const had = c.spots.get(key) ?? { spot: r.spot, constants: [] };
		had.constants.push(...r.constants);
		c.spots.set(key, had);
	}
	if (!c.exact) return null;
	const axes: Axis[] = [];
	let count = 1;
	for (const { spot, constants } of c.spots.values()) {
		const values = stretches(spot.field, constants, schema);
		if (!values) return null;
		count *= values.length;
		if (count > MOST_CELLS) return null;
		axes.push({ spot, values });
	}
	return axes;
}

/** A value in each stretch between the constants, each constant, and blank. Null for fields that are not parted so. */
export function stretches(
	field: Field,
	constants: readonly Value[],
	schema: Schema
): Value[] | null {
	const given = constants.filter((c) => c !== null);
	switch (field.type) {
		case 'yesno':
			return [true, false, null];
		case 'choice': {
			const named = [...new Set(given.filter((c) => typeof c === 'string'))];
			const other = schema.lists
				.get(field.list!)
				?.options.find((o) => !o.retired && !named.includes(o.id));
			return [...named, ...(other ? [other.id] : []), null];
		}
		case 'text':
		case 'email':
		case 'phone': {
			const named = [...new Set(given.filter((c) => typeof c === 'string'))];
			let other = 'Any text';
			while (named.includes(other)) other += ' more';
			return [...named, other, null];
		}
		case 'link':
			return given.length ? null : ['1', null];
		case 'number':
		case 'percent':
		case 'money':
			return numberStretches(field, given);
		case 'date':
			return dateStretches(given);
		default:
			return null;
	}
}

const ONE = n.num(1);
const TWO = n.num(2);

function numberStretches(field: Field, given: readonly Value[]): Value[] | null {
	if (!given.every((c) => c instanceof Num)) return null;
	const sorted = distinct(given);
	if (!sorted.length) return [ONE, null];
	const places =
		field.type === 'money'
			? field.currencyField
				? null
				: currencyDigits(field.currency ?? 'EUR')
			: (field.places ?? null);
	const step = places === null ? null : parseNum((10 ** -places).toFixed(places));
	const out: Value[] = [n.sub(sorted[0], ONE)];
	sorted.forEach((c, i) => {
		out.push(c);
		const next = sorted[i + 1];
		if (!next) return;
		// the first value behind this limit, where the field counts in steps; else the middle
		const mid = step ? n.add(c, step) : n.div(n.add(c, next)!, TWO);
		if (mid && (order(mid, next) ?? 0) < 0) out.push(mid);
	});
	out.push(n.add(sorted[sorted.length - 1], ONE), null);
	return out;
}

function distinct(given: readonly Value[]): Num[] {
	const all = given as Num[];
	return all
		.filter((c, i) => all.findIndex((x) => order(x, c) === 0) === i)
		.sort((a, b) => order(a, b) ?? 0);
}

function dateStretches(given: readonly Value[]): Value[] | null {
	if (!given.every((c) => c instanceof LocalDate)) return null;
	const days = [...new Set(given.map((c) => c.epochDay))].sort((a, b) => a - b);
	const at = (d: number) => LocalDate.fromEpochDay(d);
	if (!days.length) return [at(20_000), null];
	const out: Value[] = [at(days[0] - 1)];
	days.forEach((d, i) => {
		out.push(at(d));
		if (days[i + 1] > d + 1) out.push(at(d + 1));
	});
	out.push(at(days[days.length - 1] + 1), null);
	return out;
}

/** The constants that trees in a document speak of: numbers, texts, options and days. */
export function constantsIn(doc: unknown): Value[] {
	const out: Value[] = [];
	walk(doc, (e) => {
		if (e.k === 'num') out.push(parseNum(e.v));
		else if (e.k === 'text') out.push(e.v);
		else if (e.k === 'option') out.push(e.option);
		else if (e.k === 'at') out.push(LocalDate.parse(e.v));
	});
	return out;
}

/** Every combination of the values of some axes. */
export function* combinations(axes: readonly Axis[]): Generator<Value[]> {
	const at = axes.map(() => 0);
	for (;;) {
		yield axes.map((a, i) => a.values[at[i]]);
		let i = axes.length - 1;
		while (i >= 0 && ++at[i] === axes[i].values.length) at[i--] = 0;
		if (i < 0) return;
	}
}
