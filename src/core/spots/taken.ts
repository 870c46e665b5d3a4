/**
 * What a cell of a decision table takes, and the stretches into which the limits of all cells cut an input:
 * within one no cell changes its mind, so a cell is the runs of stretches that it takes.
 */
import type { Expr, Test, Tests } from '../document/tree';
import { parseNum } from '../value/num';
import * as n from '../value/num';
import { Num } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';

/** The values one input can have, and in what steps. */
export type Domain =
	/** Numbers in steps of 10^-places; any number when null. */
	| { kind: 'number'; places: number | null }
	| { kind: 'date' }
	| { kind: 'options'; values: readonly (string | boolean)[] };

/** Runs of stretches, from and to by turns, both included; in order, none touching another. */
export type Runs = readonly number[];

/** An input, cut into stretches. */
export interface Axis {
	/** A value in each stretch; null is blank, and its stretch is the last. */
	witness: readonly Value[];
	/** The same without blank, as they are compared. */
	at: readonly (Num | string | boolean)[];
}

/** One limit of a test on a number or date; as numbers, dates by their day. */
interface Interval {
	lo: Num | null;
	loIn: boolean;
	hi: Num | null;
	hiIn: boolean;
}
/** What a cell takes: stretches or options, and whether blank. */
export interface Taken {
	intervals: Interval[] | null;
	options: ReadonlySet<string | boolean> | null;
	/** Null where the test is unknown for blank. */
	blank: boolean | null;
}

function constant(e: Expr): Value | undefined {
	if (e.k === 'num') return parseNum(e.v) ?? undefined;
	if (e.k === 'neg' && e.a.k === 'num') {
		const v = parseNum(e.a.v);
		return v ? n.negate(v) : undefined;
	}
	if (e.k === 'at') return LocalDate.parse(e.v) ?? undefined;
	if (e.k === 'call' && e.fn === 'date' && e.args.length === 1 && e.args[0].k === 'text')
		return LocalDate.parse(e.args[0].v) ?? undefined;
	if (e.k === 'option') return e.option;
	if (e.k === 'bool') return e.v;
	if (e.k === 'null') return null;
	return undefined;
}

const scalar = (v: Value | undefined): Num | null =>
	v instanceof Num ? v : v instanceof LocalDate ? n.num(v.epochDay) : null;

/** What a cell takes; null for one of a kind that is not analysed. */
export function takenBy(cell: Tests, domain: Domain): Taken | null {
	let blank: boolean | null = false;
	const intervals: Interval[] = [];
	const options = new Set<string | boolean>();
	for (const t of cell.tests) {
		const one = takenByTest(t, domain);
		if (!one) return null;
		blank = blank === true || one.blank === true ? true : blank === null ? null : one.blank;
		intervals.push(...(one.intervals ?? []));
		one.options?.forEach((o) => options.add(o));
	}
	if (cell.not) blank = blank === null ? null : !blank;
	if (domain.kind !== 'options')
		return { intervals: cell.not ? complement(intervals) : intervals, options: null, blank };
	const left = new Set(domain.values.filter((v) => !options.has(v)));
	return { intervals: null, options: cell.not ? left : options, blank };
}

const everything = (domain: Domain, blank: boolean): Taken =>
	domain.kind === 'options'
		? { intervals: null, options: new Set(domain.values), blank }
		: { intervals: [{ lo: null, loIn: false, hi: null, hiIn: false }], options: null, blank };

function takenByTest(t: Test, domain: Domain): Taken | null {
	if (t.k === 'any') return everything(domain, true);
	if (t.k === 'cmp') {
		const v = constant(t.e);
		if (v === null && (t.op === '=' || t.op === '!='))
			return t.op === '='
				? { intervals: [], options: new Set(), blank: true }
				: everything(domain, false);
		if (domain.kind === 'options') {
			if (typeof v !== 'string' && typeof v !== 'boolean') return null;
			if (t.op === '=') return { intervals: null, options: new Set([v]), blank: false };
			if (t.op !== '!=') return null;
			// a blank differs from every option
			return {
				intervals: null,
				options: new Set(domain.values.filter((x) => x !== v)),
				blank: true
			};
		}
		const at = scalar(v);
		if (!at) return null;
		const point = { lo: at, loIn: true, hi: at, hiIn: true };
		switch (t.op) {
			case '<':
			case '<=':
				return {
					intervals: [{ lo: null, loIn: false, hi: at, hiIn: t.op === '<=' }],
					options: null,
					blank: null
				};
			case '>':
			case '>=':
				return {
					intervals: [{ lo: at, loIn: t.op === '>=', hi: null, hiIn: false }],
					options: null,
					blank: null
				};
			case '=':
				return { intervals: [point], options: null, blank: false };
			case '!=':
				return { intervals: complement([point]), options: null, blank: true };
		}
	}
	return takenByValue(t.e, domain);
}

function takenByValue(e: Expr, domain: Domain): Taken | null {
	if (e.k === 'list') {
		const parts = e.items.map((x) => takenByValue(x, domain));
		if (parts.some((p) => !p)) return null;
		return {
			intervals: domain.kind === 'options' ? null : parts.flatMap((p) => p!.intervals ?? []),
			options:
				domain.kind === 'options' ? new Set(parts.flatMap((p) => [...(p!.options ?? [])])) : null,
			// a list with a range in it answers no for blank, not unknown
			blank: parts.some((p) => p!.blank === true)
		};
	}
	if (e.k === 'range') {
		if (domain.kind === 'options') return null;
		const [lo, hi] = [e.lo && constant(e.lo), e.hi && constant(e.hi)];
		if ((e.lo && !scalar(lo ?? undefined)) || (e.hi && !scalar(hi ?? undefined))) return null;
		const interval = {
			lo: scalar(lo ?? undefined),
			loIn: e.loIn,
			hi: scalar(hi ?? undefined),
			hiIn: e.hiIn
		};
		return { intervals: [interval], options: null, blank: null };
	}
	const v = constant(e);
	if (v === undefined) return null;
	if (v === null) return { intervals: [], options: new Set(), blank: true };
	if (domain.kind === 'options')
		return typeof v === 'string' || typeof v === 'boolean'
			? { intervals: null, options: new Set([v]), blank: false }
			: null;
	const at = scalar(v);
	return (
		at && { intervals: [{ lo: at, loIn: true, hi: at, hiIn: true }], options: null, blank: false }
	);
}

/** Everything but some stretches. */
function complement(intervals: readonly Interval[]): Interval[] {
	let out: Interval[] = [{ lo: null, loIn: false, hi: null, hiIn: false }];
	for (const i of intervals)
		out = out.flatMap((o): Interval[] => {
			const parts: Interval[] = [];
			if (i.lo) parts.push({ ...o, ...lower(o, i.lo, !i.loIn) });
			if (i.hi) parts.push({ ...o, ...upper(o, i.hi, !i.hiIn) });
			return parts;
		});
	return out;
}
const lower = (o: Interval, at: Num, included: boolean) =>
	o.hi && n.compareNum(o.hi, at) < 0
		? {}
		: { hi: at, hiIn: included && (!o.hi || n.compareNum(o.hi, at) > 0 || o.hiIn) };
const upper = (o: Interval, at: Num, included: boolean) =>
	o.lo && n.compareNum(o.lo, at) > 0
		? {}
		: { lo: at, loIn: included && (!o.lo || n.compareNum(o.lo, at) < 0 || o.loIn) };

// ---- stretches ------------------------------------------------------------------------------------

/** Cuts an input at every limit that a row names; stretches that hold no value of its steps are left out. */
export function axisOf(domain: Domain, column: readonly Taken[]): Axis {
	if (domain.kind === 'options')
		return { witness: [...domain.values, null], at: [...domain.values] };
	const limits = column
		.flatMap((t) => (t.intervals ?? []).flatMap((i) => [i.lo, i.hi]))
		.filter((x) => x !== null)
		.sort(n.compareNum)
		.filter((x, i, all) => !i || n.compareNum(all[i - 1], x) !== 0);
	const places = domain.kind === 'date' ? 0 : domain.places;
	const step = places === null ? null : (parseNum(`1e-${places}`) ?? n.num(1));
	const points: Num[] = [];
	const onGrid = (x: Num) => places === null || n.compareNum(n.roundTo(x, places) ?? x, x) === 0;
	const inside = (a: Num | null, b: Num | null): Num | null => {
		if (!a && !b) return n.num(0);
		if (!a)
			return n.sub(
				places === null ? b! : (n.roundTo(b!, places, 'floor') ?? b!),
				onGrid(b!) ? (step ?? n.num(1)) : n.num(0)
			);
		const next = step ? n.add(n.roundTo(a, places!, 'floor') ?? a, step) : null;
		if (!b) return next ?? n.add(a, n.num(1));
		if (next) return n.compareNum(next, b) < 0 ? next : null;
		const sum = n.add(a, b);
		return sum && n.div(sum, n.num(2));
	};
	for (let k = 0; k <= limits.length; k++) {
		const between = inside(limits[k - 1] ?? null, limits[k] ?? null);
		if (between) points.push(between);
		if (k < limits.length && onGrid(limits[k])) points.push(limits[k]);
	}
	const value = (x: Num): Value => {
		const day = domain.kind === 'date' ? n.toInteger(x) : null;
		return day === null ? x : LocalDate.fromEpochDay(day);
	};
	return { witness: [...points.map(value), null], at: points };
}

/** The first place at which a number is reached, or passed where it is not itself included. */
function reaching(at: readonly Num[], x: Num, included: boolean): number {
	let [low, high] = [0, at.length];
	while (low < high) {
		const middle = (low + high) >> 1;
		const c = n.compareNum(at[middle], x);
		if (c > 0 || (c === 0 && included)) high = middle;
		else low = middle + 1;
	}
	return low;
}

/** The stretches of an input that a cell takes. */
export function runsOf(t: Taken, axis: Axis): Runs {
	const parts: [number, number][] = [];
	const { at } = axis;
	if (t.intervals)
		for (const i of t.intervals)
			parts.push([
				i.lo ? reaching(at as readonly Num[], i.lo, i.loIn) : 0,
				(i.hi ? reaching(at as readonly Num[], i.hi, !i.hiIn) : at.length) - 1
			]);
	else
		at.forEach((x, k) => {
			if (t.options!.has(x as string | boolean)) parts.push([k, k]);
		});
	if (t.blank === true) parts.push([at.length, at.length]);
	const out: number[] = [];
	for (const [from, to] of parts.filter(([a, b]) => a <= b).sort((a, b) => a[0] - b[0])) {
		if (out.length && from <= out[out.length - 1] + 1)
			out[out.length - 1] = Math.max(out[out.length - 1], to);
		else out.push(from, to);
	}
	return out;
}

/** The first stretch that both take; -1 for none. */
export function common(a: Runs, b: Runs): number {
	for (let i = 0, k = 0; i < a.length && k < b.length;) {
		const from = Math.max(a[i], b[k]);
		if (from <= Math.min(a[i + 1], b[k + 1])) return from;
		if (a[i + 1] < b[k + 1]) i += 2;
		else k += 2;
	}
	return -1;
}

/** Whether the first takes all that the second does. */
export function includes(a: Runs, b: Runs): boolean {
	let i = 0;
	for (let k = 0; k < b.length; k += 2) {
		while (i < a.length && a[i + 1] < b[k + 1]) i += 2;
		if (i >= a.length || a[i] > b[k]) return false;
	}
	return true;
}
