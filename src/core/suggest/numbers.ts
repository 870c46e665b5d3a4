/** Explanations by numbers: bands of one, products, shares and differences of two, and roll-ups of related records. */
import { isNumeric, type Field } from '../document/model';
import type { Limit } from '../document/rules';
import type { Expr } from '../document/tree';
import { constantTree } from '../conditions/constants';
import { rollupTree, type RollupHow } from '../conditions/rollup';
import { LocalDate } from '../value/temporal';
import { atLeast } from './chance';
import {
	counted,
	isChoice,
	keyOf,
	sizeOf,
	type Column,
	type Hypothesis,
	type Study
} from './study';

// ---- bands ------------------------------------------------------------------------------------------

/** Most values that bands may give. */
const MOST_BANDS = 12;

interface Point {
	x: number;
	/** Place of its class among the classes. */
	c: number;
}

const entropy = (counts: readonly number[], n: number) =>
	counts.reduce((e, c) => (c ? e - (c / n) * Math.log2(c / n) : e), 0);

/**
 * The cuts of a number that tell classes apart, by entropy, as long as a cut is worth its description.
 * After Fayyad and Irani, *Multi-interval discretization of continuous-valued attributes*, IJCAI 1993
 * (from memory).
 * @param points sorted by x; each cut lies between the x of the place before it and its own
 */
export function entropyCuts(points: readonly Point[], classes: number): number[] {
	const cuts: number[] = [];
	const part = (from: number, to: number, depth: number) => {
		const n = to - from;
		if (n < 4 || depth > 8) return;
		const all = new Array<number>(classes).fill(0);
		for (let i = from; i < to; i++) all[points[i].c]++;
		const whole = entropy(all, n);
		if (whole === 0) return;
		const left = new Array<number>(classes).fill(0);
		const right = [...all];
		let best = { at: -1, e: Infinity, left: 0, right: 0, kinds: [0, 0] };
		for (let i = from; i < to - 1; i++) {
			left[points[i].c]++;
			right[points[i].c]--;
			if (points[i].x === points[i + 1].x) continue;
			const k = i + 1 - from;
			const [l, r] = [entropy(left, k), entropy(right, n - k)];
			const e = (k * l + (n - k) * r) / n;
			if (e < best.e)
				best = {
					at: i + 1,
					e,
					left: l,
					right: r,
					kinds: [left, right].map((x) => x.filter(Boolean).length)
				};
		}
		if (best.at < 0) return;
		const kinds = all.filter(Boolean).length;
		const cost =
			Math.log2(3 ** kinds - 2) -
			(kinds * whole - best.kinds[0] * best.left - best.kinds[1] * best.right);
		if (whole - best.e <= (Math.log2(n - 1) + cost) / n) return;
		part(from, best.at, depth + 1);
		cuts.push(best.at);
		part(best.at, to, depth + 1);
	};
	part(0, points.length, 0);
	return cuts;
}

/** The roundest number above one and not above another. */
export function roundest(above: number, upTo: number, places: number): number {
	for (
		let p = Math.ceil(Math.log10(Math.max(Math.abs(above), Math.abs(upTo), 1)));
		p >= -places;
		p--
	)
		for (const unit of [10 ** p, 5 * 10 ** (p - 1)]) {
			if (unit < 10 ** -places) continue;
			const next = (Math.floor(above / unit + 1e-9) + 1) * unit;
			if (next > above && next <= upTo + 1e-9) return Number(next.toFixed(Math.max(0, places)));
		}
	return upTo;
}

/** Stretches of a number or day give each their value. */
export function bandLists(s: Study, rows: readonly number[]): Hypothesis[] {
	const values = new Set(rows.map((r) => s.y.keys[r]));
	values.delete('');
	if (values.size < 2 && !(values.size === 1 && rows.some((r) => s.y.keys[r] === ''))) return [];
	if (values.size > MOST_BANDS) return [];
	return [...s.columns, ...s.derived].flatMap((x): Hypothesis[] => {
		if (!isNumeric(x.field) && x.field.type !== 'date') return [];
		const bands = bandsOf(s, x, rows);
		if (!bands) return [];
		const { limits, gives, blank } = bands;
		return [
			{
				id: `bands ${x.id}`,
				how: 'bands',
				size: 1.5 + limits.length / 4,
				reads: [x.label],
				results: gives.length,
				gives: (r) => {
					const v = sizeOf(x.values[r]);
					if (Number.isNaN(v)) return blank;
					let i = 0;
					while (i < limits.length && v >= limits[i]) i++;
					return gives[i];
				},
				verb: 'categorize',
				body: () => ({
					kind: 'bands',
					input: { expr: x.expr },
					limits: limits.map((at): Limit => ({ at: limitText(x.field, at), belongs: 'above' })),
					results: gives.map((k) => (k === '' ? null : [s.json(k)])),
					blank: blank === '' ? { none: true } : { give: [s.json(blank)] }
				})
			}
		];
	});
}

const limitText = (f: Field, at: number) =>
	f.type === 'date' ? LocalDate.fromEpochDay(at)!.toString() : keyOfNumber(at);

const keyOfNumber = (n: number) => String(Number(n.toFixed(6)));

function bandsOf(s: Study, x: Column, rows: readonly number[]) {
	const known = rows.filter((r) => x.keys[r] !== '');
	const classes = [...new Set(known.map((r) => s.y.keys[r]))];
	if (classes.length < 2) return null;
	const points = known
		.map((r) => ({ x: sizeOf(x.values[r]), c: classes.indexOf(s.y.keys[r]) }))
		.sort((a, b) => a.x - b.x);
	const taught = s.examples.size > 0 && rows.every((r) => s.examples.has(r));
	const cuts = taught ? everyChange(points) : meant(points, entropyCuts(points, classes.length));
	if (!cuts.length) return null;
	const places =
		x.field.type === 'date' ? 0 : (x.field.places ?? (x.field.type === 'number' ? 0 : 2));
	const limits: number[] = [];
	const gives: string[] = [];
	const starts = [0, ...cuts];
	starts.forEach((from, i) => {
		const stretch = points.slice(from, starts[i + 1] ?? points.length);
		const [[key]] = counted(stretch.map((p) => classes[p.c]));
		if (gives.length && gives[gives.length - 1] === key) return;
		if (gives.length) {
			const [below, at] = [points[from - 1].x, points[from].x];
			limits.push(x.field.type === 'date' ? at : roundest(below, at, places));
		}
		gives.push(key);
	});
	if (!limits.length || limits.length >= MOST_BANDS) return null;
	const blanks = rows.filter((r) => x.keys[r] === '');
	const [top] = counted(blanks.map((r) => s.y.keys[r]));
	return { limits, gives, blank: top && top[1] * 10 >= blanks.length * 9 ? top[0] : '' };
}

/** How likely a stretch may be by chance, wherever it lies, and still count as meant. */
const CHANCE = 0.01;

/**
 * Cuts without those that wrong values explain: a few of them in a row are no band of their own. A stretch is held against the
 * one beside it: were its records drawn from there, how likely would they agree as they do, at any of the places it might lie?
 */
function meant(points: readonly Point[], cuts: readonly number[]): number[] {
	const left = [...cuts];
	for (;;) {
		const ends = [0, ...left, points.length];
		const counts = ends.slice(1).map((to, i): Stretch => {
			const of = new Map<number, number>();
			for (const { c } of points.slice(ends[i], to)) of.set(c, (of.get(c) ?? 0) + 1);
			return { of, n: to - ends[i] };
		});
		const told = left.map((_, i) => {
			const few = counts[i].n <= counts[i + 1].n ? i : i + 1;
			const many = counts[few === i ? i + 1 : i];
			const [c, times] = [...counts[few].of].reduce((a, b) => (b[1] > a[1] ? b : a));
			const chance = points.length * atLeast(times, counts[few].n, share(many, c));
			return { few, chance };
		});
		const worst = told.reduce((a, b) => (b.chance > a.chance ? b : a), { few: 0, chance: 0 });
		if (worst.chance <= CHANCE) return left;
		// what is no band of its own goes to whichever of its neighbours its other values are of
		const { few } = worst;
		const likely = (i: number) =>
			counts[i] ? likelihood(counts[few].of, counts[i]) : Number.NEGATIVE_INFINITY;
		left.splice(likely(few - 1) > likely(few + 1) ? few - 1 : few, 1);
	}
}

interface Stretch {
	/** How many records of each class. */
	of: ReadonlyMap<number, number>;
	n: number;
}

const share = ({ of, n }: Stretch, c: number) => (of.get(c) ?? 0) / n;

/** The logarithm of how likely records are, were they drawn from a stretch; a class it does not have counts as half a record of it. */
const likelihood = (records: Stretch['of'], from: Stretch): number =>
	[...records].reduce((sum, [c, n]) => sum + n * Math.log(share(from, c) || 0.5 / from.n), 0);

/** A cut wherever the class changes: for a few examples that are all meant. */
function everyChange(points: readonly Point[]): number[] {
	return points.flatMap((p, i) =>
		i && p.c !== points[i - 1].c && p.x !== points[i - 1].x ? [i] : []
	);
}

// ---- calculations -----------------------------------------------------------------------------------

const bin = (op: '+' | '-' | '*' | '/', a: Expr, b: Expr): Expr => ({ k: 'bin', op, a, b });
const number = (v: string): Expr => ({ k: 'num', v });
const orNothing = (e: Expr): Expr => ({ k: 'call', fn: 'otherwise', args: [e, number('0')] });

interface Calculation {
	id: string;
	size: number;
	/** Both ways round are told apart. */
	ordered: boolean;
	fits(a: Field, b: Field): boolean;
	run(a: number, b: number): number;
	tree(a: Expr, b: Expr): Expr;
}

const hundred = number('100');
const CALCULATIONS: readonly Calculation[] = [
	{
		id: '×',
		size: 2,
		ordered: false,
		fits: () => true,
		run: (a, b) => a * b,
		tree: (a, b) => bin('*', a, b)
	},
	{
		id: '−',
		size: 2,
		ordered: true,
		fits: (a, b) => a.type === b.type,
		run: (a, b) => a - b,
		tree: (a, b) => bin('-', a, b)
	},
	{
		id: '+',
		size: 2,
		ordered: false,
		fits: (a, b) => a.type === b.type,
		run: (a, b) => a + b,
		tree: (a, b) => bin('+', a, b)
	},
	{
		id: '÷',
		size: 2,
		ordered: true,
		fits: () => true,
		run: (a, b) => a / b,
		tree: (a, b) => bin('/', a, b)
	},
	{
		id: '% of',
		size: 2.2,
		ordered: true,
		fits: (_, b) => b.type === 'percent',
		run: (a, b) => (a * b) / 100,
		tree: (a, b) => bin('/', bin('*', a, b), hundred)
	},
	{
		id: 'less %',
		size: 2.4,
		ordered: true,
		fits: (_, b) => b.type === 'percent',
		run: (a, b) => a * (1 - b / 100),
		tree: (a, b) => bin('*', a, bin('-', number('1'), bin('/', b, hundred)))
	},
	{
		id: 'plus %',
		size: 2.4,
		ordered: true,
		fits: (_, b) => b.type === 'percent',
		run: (a, b) => a * (1 + b / 100),
		tree: (a, b) => bin('*', a, bin('+', number('1'), bin('/', b, hundred)))
	},
	{
		id: 'share in %',
		size: 2.2,
		ordered: true,
		fits: () => true,
		run: (a, b) => (a / b) * 100,
		tree: (a, b) => bin('*', bin('/', a, b), hundred)
	}
];

/** Decimals to which what is computed is kept. */
const placesOf = (f: Field) => (f.type === 'money' ? 2 : (f.places ?? 6));

/** What a number computed comes to, as a key: that of the stored value where the two round to the same. */
function keyed(s: Study, values: readonly number[]) {
	const off = 0.50001 * 10 ** -placesOf(s.field);
	return (r: number, n: number): string => {
		if (!Number.isFinite(n)) return '';
		return Math.abs(n - values[r]) <= off + Math.abs(n) * 1e-12
			? s.y.keys[r]
			: String(Number(n.toFixed(placesOf(s.field))));
	};
}

/** Products, shares, sums and differences of two numbers, and a number times a constant. */
export function calculations(s: Study, rows: readonly number[]): Hypothesis[] {
	if (!isNumeric(s.field)) return [];
	const y = s.y.values.map(sizeOf);
	const key = keyed(s, y);
	const columns = s.columns
		.filter((c) => isNumeric(c.field))
		.map((c) => ({ c, n: c.values.map(sizeOf) }));
	// the first records that tell anything decide whether the rest is looked at
	const told = rows.filter((r) => y[r]);
	const first = told.slice(0, 60);
	const out: Hypothesis[] = [];
	const propose = (
		id: string,
		size: number,
		reads: Column[],
		n: (r: number) => number,
		expr: Expr
	) => {
		const early = first.reduce((k, r) => k + (key(r, n(r)) === s.y.keys[r] ? 1 : 0), 0);
		if (early * 4 < first.length || !early) return;
		out.push({
			id,
			how: 'calculation',
			size,
			reads: reads.map((c) => c.label),
			gives: (r) => key(r, n(r)),
			verb: 'derive',
			body: () => ({ kind: 'formula', formulas: [{ expr }], blank: { none: true } })
		});
	};
	for (const { c: a, n } of columns) {
		const [top] = counted(
			first.filter((r) => n[r]).map((r) => String(Number((y[r] / n[r]).toPrecision(6))))
		);
		if (top && top[0] !== '1')
			propose(
				`${a.id} × constant`,
				1.5,
				[a],
				(r) => n[r] * Number(top[0]),
				bin('*', a.expr, number(top[0]))
			);
		for (const { c: b, n: m } of columns) {
			if (a === b) continue;
			for (const calc of CALCULATIONS) {
				if (!calc.fits(a.field, b.field) || (!calc.ordered && a.id > b.id)) continue;
				propose(
					`${a.id} ${calc.id} ${b.id}`,
					calc.size,
					[a, b],
					(r) => calc.run(n[r], m[r]),
					calc.tree(a.expr, b.expr)
				);
				const zero = (r: number) => (Number.isNaN(m[r]) ? 0 : m[r]);
				propose(
					`${a.id} ${calc.id} ${b.id} or 0`,
					calc.size + 0.3,
					[a, b],
					(r) => calc.run(n[r], zero(r)),
					calc.tree(a.expr, orNothing(b.expr))
				);
			}
		}
	}
	return out;
}

// ---- related records --------------------------------------------------------------------------------

/** What some related records come to, by the option each has: one entry a record, one number an option. */
interface Rolled {
	how: RollupHow;
	field: Field | null;
	/** By row, then by option: the total, or the extreme. */
	parts: Map<number, Map<string, number>>;
}

const EXTREMES: readonly RollupHow[] = ['min', 'max'];

/** Their number, sum, earliest and latest, of all of them or of those with some options. */
export function relatedRecords(s: Study, rows: readonly number[]): Hypothesis[] {
	const days = s.field.type === 'date' || s.field.type === 'moment';
	if (!isNumeric(s.field) && !days) return [];
	const y = s.y.values.map(sizeOf);
	const key = days
		? (r: number, n: number) => (n === y[r] ? s.y.keys[r] : Number.isFinite(n) ? `at ${n}` : '')
		: keyed(s, y);
	return s.schema.type(s.type).collections.flatMap(({ type, field: link, label }) => {
		const children = childrenOf(s, type, link);
		const { fields } = s.schema.type(type).type;
		const options = fields.filter((f) => !f.retired && isChoice(f));
		const told: { how: RollupHow; field: Field | null }[] = [
			...(days ? [] : [{ how: 'count' as const, field: null }]),
			...fields.flatMap((field) => {
				if (field.retired) return [];
				if (days) return field.type === s.field.type ? EXTREMES.map((how) => ({ how, field })) : [];
				return isNumeric(field) ? [{ how: 'sum' as const, field }] : [];
			})
		];
		return told.flatMap(({ how, field }) =>
			[null, ...options].flatMap((by) => {
				const rolled = rolledBy(s, type, children, how, field, by);
				return fitted(s, rows, rolled, by, key, { type, link, label });
			})
		);
	});
}

function childrenOf(
	s: Study,
	type: string,
	link: string
): (readonly (readonly Column['values'][number][])[])[] {
	return s.records.map((r) =>
		(s.loader.related(type, link, r.id) ?? []).flatMap((id) => {
			const values = s.loader.record(type, id);
			return values ? [values] : [];
		})
	);
}

function rolledBy(
	s: Study,
	type: string,
	children: ReturnType<typeof childrenOf>,
	how: RollupHow,
	field: Field | null,
	by: Field | null
): Rolled {
	const { at } = s.schema.type(type);
	const [value, option] = [field && at.get(field.id)!, by && at.get(by.id)!];
	const parts = new Map<number, Map<string, number>>();
	children.forEach((records, row) => {
		const mine = new Map<string, number>();
		for (const r of records) {
			const n = value === null ? 1 : sizeOf(r[value]);
			if (Number.isNaN(n)) continue;
			const o = option === null ? '' : keyOf(r[option]);
			const had = mine.get(o);
			mine.set(
				o,
				had === undefined
					? n
					: how === 'max'
						? Math.max(had, n)
						: how === 'min'
							? Math.min(had, n)
							: had + n
			);
		}
		parts.set(row, mine);
	});
	return { how, field, parts };
}

/** The options whose records count: each taken in or left out as long as that explains more. */
function fitted(
	s: Study,
	rows: readonly number[],
	{ how, field, parts }: Rolled,
	by: Field | null,
	key: (r: number, n: number) => string,
	at: { type: string; link: string; label: string }
): Hypothesis[] {
	const of = (r: number, chosen: ReadonlySet<string> | null): number => {
		let out = NaN;
		for (const [o, n] of parts.get(r)!) {
			if (chosen && !chosen.has(o)) continue;
			if (Number.isNaN(out)) out = n;
			else out = how === 'max' ? Math.max(out, n) : how === 'min' ? Math.min(out, n) : out + n;
		}
		return out;
	};
	const orZero =
		how === 'count' ||
		(how === 'sum' && rows.some((r) => s.y.keys[r] === '0' && !parts.get(r)!.size));
	const gives = (r: number, chosen: ReadonlySet<string> | null) => {
		const n = of(r, chosen);
		return key(r, Number.isNaN(n) && orZero ? 0 : n);
	};
	// records without related ones agree whatever is chosen
	const telling = rows.filter((r) => parts.get(r)!.size).slice(0, 1500);
	if (!telling.length) return [];
	const right = (chosen: ReadonlySet<string> | null) =>
		telling.reduce((n, r) => n + (gives(r, chosen) === s.y.keys[r] ? 1 : 0), 0);
	let chosen: Set<string> | null = null;
	if (by) {
		const all = [...new Set(telling.flatMap((r) => [...parts.get(r)!.keys()]))].filter(
			(o) => o !== ''
		);
		if (all.length < 2 || all.length > 20) return [];
		const found = [new Set(all), new Set<string>()].map((from) => climb(from, all, right));
		const best = found.sort((a, b) => b.right - a.right || a.chosen.size - b.chosen.size)[0];
		if (!best.chosen.size || best.chosen.size === all.length) return [];
		chosen = best.chosen;
	}
	const item: Expr = { k: 'var', name: 'item' };
	const filter: Expr | null =
		by && chosen
			? filterOf(s, { k: 'through', of: item, type: at.type, field: by.id }, by, chosen)
			: null;
	const tree = rollupTree({
		how,
		related: { k: 'related', of: null, type: at.type, field: at.link },
		filter,
		field: field?.id ?? null
	});
	const expr = orZero && how !== 'count' ? orNothing(tree) : tree;
	const told = field ? `${field.label} of ${at.label}` : at.label;
	return [
		{
			id: `${how} ${told}${by ? ` by ${by.label}` : ''}`,
			how: 'related',
			size: 1.5 + (by ? 1 : 0),
			reads: [told, ...(by ? [by.label] : [])],
			gives: (r) => gives(r, chosen),
			verb: 'derive',
			hold: 'locked',
			body: () => ({ kind: 'formula', formulas: [{ expr }], blank: { none: true } })
		}
	];
}

/** Takes options in or out, the best first, until nothing explains more. */
function climb(
	from: ReadonlySet<string>,
	all: readonly string[],
	right: (c: ReadonlySet<string>) => number
) {
	let chosen = new Set(from);
	let best = right(chosen);
	for (;;) {
		let next: { chosen: Set<string>; right: number } | null = null;
		for (const o of all) {
			const tried = new Set(chosen);
			if (!tried.delete(o)) tried.add(o);
			const n = right(tried);
			if (n > (next?.right ?? best)) next = { chosen: tried, right: n };
		}
		if (!next) return { chosen, right: best };
		({ chosen, right: best } = next);
	}
}

function filterOf(s: Study, x: Expr, by: Field, chosen: ReadonlySet<string>): Expr {
	if (by.type === 'yesno')
		return chosen.has('true') ? x : { k: 'bin', op: '=', a: x, b: { k: 'bool', v: false } };
	const options = s.schema.lists.get(by.list!)!.options.filter((o) => chosen.has(o.id));
	const constants = options.map((o) => constantTree(by, o.id));
	return constants.length === 1
		? { k: 'bin', op: '=', a: x, b: constants[0] }
		: { k: 'in', x, tests: { not: false, tests: constants.map((e) => ({ k: 'is', e })) } };
}
