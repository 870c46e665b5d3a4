/**
 * Decision tables as boxes: each row is a box in the space of its inputs. Finds combinations that no
 * row takes, rows that share one, and rows that earlier ones cover. Exact for cells of constants,
 * ranges and options; a table with other cells is not analysed.
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

/** A box over segments: one set of segment numbers for each input. */
type Box = readonly ReadonlySet<number>[];

/** The segments of one input: stretches in which no row's test changes its mind. */
interface Axis {
	/** A value in each segment; null is blank, and its segment is the last. */
	witness: readonly Value[];
}

/** A combination of values, one for each input, and the rows it concerns. */
export interface Combination {
	values: readonly Value[];
	rows: readonly number[];
}

export interface Analysis {
	/** Combinations that no row takes; at most {@link MOST_FOUND}. */
	gaps: Combination[];
	/** Pairs of rows that both take a combination. */
	overlaps: Combination[];
	/** Rows that never get their turn, with the earlier rows that cover them; none when the row itself is impossible. */
	covered: { row: number; by: readonly number[] }[];
	/** False when the search for gaps was given up: the table is too wide. */
	complete: boolean;
}

export const MOST_FOUND = 20;
const MOST_STEPS = 400_000;

/** One limit of a test on a number or date; as numbers, dates by their day. */
interface Interval {
	lo: Num | null;
	loIn: boolean;
	hi: Num | null;
	hiIn: boolean;
}
/** What a cell takes: stretches or options, and whether blank. */
interface Taken {
	intervals: Interval[] | null;
	options: ReadonlySet<string | boolean> | null;
	/** Null where the test is unknown for blank. */
	blank: boolean | null;
}

/** Analyses a table; null when a cell is of a kind that is not analysed. */
export function analyseBoxes(
	domains: readonly Domain[],
	rows: readonly (readonly Tests[])[]
): Analysis | null {
	const taken = rows.map((row) => row.map((cell, k) => takenBy(cell, domains[k])));
	if (taken.some((row) => row.some((t) => t === null))) return null;
	const columns = domains.map((_, k) => taken.map((row) => row[k]!));
	const axes = domains.map((d, k) => axisOf(d, columns[k]));
	const boxes: Box[] = taken.map((row) => row.map((t, k) => segmentsOf(t!, axes[k])));
	const search = new GapSearch(axes, boxes);
	return {
		gaps: search.gaps(),
		overlaps: overlaps(axes, boxes),
		covered: coveredRows(axes, boxes),
		complete: search.steps <= MOST_STEPS
	};
}

// ---- what a cell takes ----------------------------------------------------------------------------

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

function takenBy(cell: Tests, domain: Domain): Taken | null {
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

// ---- segments -------------------------------------------------------------------------------------

/** Cuts an input at every limit that a row names; stretches that hold no value of its steps are left out. */
function axisOf(
	domain: Domain,
	column: readonly Taken[]
): Axis & { at: (Num | string | boolean)[] } {
	if (domain.kind === 'options')
		return { witness: [...domain.values, null], at: [...domain.values] };
	const limits: Num[] = [];
	for (const t of column)
		for (const i of t.intervals ?? [])
			for (const x of [i.lo, i.hi])
				if (x && !limits.some((l) => n.compareNum(l, x) === 0)) limits.push(x);
	limits.sort(n.compareNum);
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

function holds(i: Interval, x: Num): boolean {
	const lo = i.lo ? n.compareNum(x, i.lo) : 1;
	const hi = i.hi ? n.compareNum(x, i.hi) : -1;
	return (lo > 0 || (lo === 0 && i.loIn)) && (hi < 0 || (hi === 0 && i.hiIn));
}

function segmentsOf(
	t: Taken,
	axis: Axis & { at?: (Num | string | boolean)[] }
): ReadonlySet<number> {
	const out = new Set<number>();
	axis.at!.forEach((x, i) => {
		if (x instanceof Num ? t.intervals!.some((v) => holds(v, x)) : t.options!.has(x)) out.add(i);
	});
	if (t.blank === true) out.add(axis.at!.length);
	return out;
}

// ---- searches -------------------------------------------------------------------------------------

/** Walks the inputs one by one with the rows that are still in play; equal situations are looked at once. */
class GapSearch {
	steps = 0;
	private readonly found: Combination[] = [];
	private readonly seen = new Set<string>();

	constructor(
		private readonly axes: readonly Axis[],
		private readonly boxes: readonly Box[],
		/** The part of the space that is searched. */
		private readonly within: Box | null = null,
		private readonly most = MOST_FOUND
	) {}

	gaps(): Combination[] {
		this.walk(
			0,
			this.boxes.map((_, i) => i),
			[]
		);
		return this.found;
	}

	private walk(column: number, rows: readonly number[], path: readonly number[]) {
		if (this.found.length >= this.most || ++this.steps > MOST_STEPS) return;
		if (!rows.length) {
			const rest = this.axes.slice(column).map((_, k) => this.first(column + k));
			const values = [...path, ...rest].map((s, k) => this.axes[k].witness[s]);
			this.found.push({ values, rows: [] });
			return;
		}
		if (column === this.axes.length) return;
		// a row that takes all that is left leaves no gap here
		if (rows.some((r) => this.takesAll(r, column))) return;
		const key = `${column} ${rows.join(',')}`;
		if (this.seen.has(key)) return;
		this.seen.add(key);
		const tried = new Set<string>();
		for (const s of this.segments(column)) {
			const left = rows.filter((r) => this.boxes[r][column].has(s));
			// blank is told apart from every other hole
			const same = `${s === this.axes[column].witness.length - 1} ${left.join(',')}`;
			if (tried.has(same)) continue;
			tried.add(same);
			this.walk(column + 1, left, [...path, s]);
		}
	}

	private segments(column: number): readonly number[] {
		const all = this.within?.[column];
		return all ? [...all] : this.axes[column].witness.map((_, i) => i);
	}
	private first(column: number): number {
		return this.segments(column)[0];
	}
	private takesAll(row: number, from: number): boolean {
		for (let k = from; k < this.axes.length; k++)
			if (!this.segments(k).every((s) => this.boxes[row][k].has(s))) return false;
		return true;
	}
}

function common(a: ReadonlySet<number>, b: ReadonlySet<number>): number {
	const [small, large] = a.size < b.size ? [a, b] : [b, a];
	for (const x of small) if (large.has(x)) return x;
	return -1;
}

function overlaps(axes: readonly Axis[], boxes: readonly Box[]): Combination[] {
	const out: Combination[] = [];
	for (let a = 0; a < boxes.length; a++)
		for (let b = a + 1; b < boxes.length; b++) {
			const values: Value[] = [];
			for (let k = 0; k < axes.length; k++) {
				const s = common(boxes[a][k], boxes[b][k]);
				if (s < 0) break;
				values.push(axes[k].witness[s]);
			}
			if (values.length < axes.length) continue;
			out.push({ values, rows: [a, b] });
			if (out.length >= MOST_FOUND) return out;
		}
	return out;
}

function coveredRows(axes: readonly Axis[], boxes: readonly Box[]): Analysis['covered'] {
	const out: Analysis['covered'] = [];
	boxes.forEach((box, row) => {
		if (box.some((s) => !s.size)) out.push({ row, by: [] });
		else {
			const earlier = boxes
				.slice(0, row)
				.map((b, i) => ({ b, i }))
				.filter(({ b }) => b.every((s, k) => common(s, box[k]) >= 0));
			if (!earlier.length) return;
			const search = new GapSearch(
				axes,
				earlier.map((e) => e.b),
				box,
				1
			);
			if (!search.gaps().length && search.steps <= MOST_STEPS)
				out.push({ row, by: earlier.map((e) => e.i) });
		}
	});
	return out;
}
