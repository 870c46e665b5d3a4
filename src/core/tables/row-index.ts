/**
 * Finds the rows of a decision table that may match, without asking each. Every input is parted at the
 * constants that its cells compare with; for each stretch a set of bits says which rows may take a value
 * there. What several inputs leave is what all of them have. It may name a row too many, never one too few:
 * whoever asks puts the few named ones to their tests.
 */
import type { Tests } from '../document/tree';
import { walk } from '../document/walk';
import type { Env, Run } from '../feel/env';
import * as n from '../value/num';
import { Num, parseNum } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';

/** A cell, to be indexed: what it says, and what it does. */
export interface IndexedCell {
	/** Null where it was not read. */
	tests: Tests | null;
	run: Run;
}

/** The nodes of a cell that compares with constants and nothing else. */
const PLAIN = new Set([
	'any',
	'cmp',
	'is',
	'range',
	'list',
	'num',
	'text',
	'bool',
	'null',
	'option',
	'at'
]);

/** Whether a cell compares with constants and nothing else. */
export function isPlain(tests: Tests): boolean {
	let plain = true;
	walk(tests, (e) => (plain &&= PLAIN.has(e.k)));
	return plain;
}

/** What a plain cell compares with; null for one that does more than compare with constants. */
function constantsOf(tests: Tests | null): Value[] | null {
	if (!tests || !isPlain(tests)) return null;
	const out: Value[] = [];
	walk(tests, (e) => {
		if (e.k === 'num') out.push(parseNum(e.v));
		else if (e.k === 'text') out.push(e.v);
		else if (e.k === 'option') out.push(e.option);
		else if (e.k === 'at') out.push(LocalDate.parse(e.v));
		return true;
	});
	// a null among them is one that cannot be placed: a moment, or no number
	return out.includes(null) ? null : out;
}

/** Steps for a cell that is put to a value while the index is made: more than any constant takes. */
const STEPS = 1e9;
/** Most words of bits for one input: with more stretches, neighbours share theirs. */
const MOST_WORDS = 250_000;
/** No text that a table compares with. */
const ANOTHER = '\u0000';

const HALF = parseNum('0.5')!;
const ONE = n.num(1);

/** How values of a kind that goes from less to more are placed on a line. */
interface Line<T> {
	place: (v: T) => number;
	/** A value below, one above and one between; null where there is none to be found. */
	below: (v: T) => T | null;
	above: (v: T) => T | null;
	between: (a: T, b: T) => T | null;
	/** Any value at all. */
	some: T;
}
const NUMBERS: Line<Num> = {
	place: (v) => v.toDouble(),
	below: (v) => n.sub(v, ONE),
	above: (v) => n.add(v, ONE),
	between: (a, b) => {
		const sum = n.add(a, b);
		return sum && n.mul(sum, HALF);
	},
	some: n.num(0)
};
const DATES: Line<LocalDate> = {
	place: (v) => v.epochDay,
	below: (v) => LocalDate.fromEpochDay(v.epochDay - 1),
	above: (v) => LocalDate.fromEpochDay(v.epochDay + 1),
	between: (a, b) => LocalDate.fromEpochDay(Math.floor((a.epochDay + b.epochDay) / 2)),
	some: LocalDate.fromEpochDay(0)!
};

type Bits = Uint32Array;

/** The rows that may take a value on a line: by the stretch between two limits, or the limit itself. */
class Stretches<T extends Value & object> {
	private readonly limits: Float64Array;
	private readonly bits: Bits[] = [];
	private readonly shared: number;

	constructor(
		line: Line<T>,
		cells: readonly { own: readonly T[] | null; takes: (v: Value) => boolean }[],
		words: number
	) {
		const all = new Set(cells.flatMap((c) => c.own?.map(line.place) ?? []));
		this.limits = Float64Array.from(all).sort();
		const stretches = 2 * this.limits.length + 1;
		this.shared = Math.max(1, Math.ceil((stretches * words) / MOST_WORDS));
		for (let i = 0; i < stretches; i += this.shared) this.bits.push(new Uint32Array(words));
		cells.forEach((c, row) => {
			if (!c.own) return this.put(row, 0, stretches - 1);
			const own = [...c.own].sort((a, b) => line.place(a) - line.place(b));
			if (!own.length) {
				if (c.takes(line.some)) this.put(row, 0, stretches - 1);
				return;
			}
			// around each limit its stretches are taken too: as doubles, two numbers may fall on one place
			const places = own.map((v) => 2 * this.before(line.place(v)) + 1);
			const tried = (v: T | null) => v === null || c.takes(v);
			if (tried(line.below(own[0]))) this.put(row, 0, places[0]);
			own.forEach((v, i) => {
				if (c.takes(v)) this.put(row, places[i], places[i]);
				const next = own.at(i + 1);
				if (next === undefined) {
					if (tried(line.above(v))) this.put(row, places[i], stretches - 1);
				} else if (tried(line.between(v, next))) this.put(row, places[i], places[i + 1]);
			});
		});
	}

	private put(row: number, from: number, to: number) {
		const bit = 1 << (row & 31);
		const last = Math.floor(to / this.shared);
		for (let i = Math.floor(from / this.shared); i <= last; i++) this.bits[i][row >> 5] |= bit;
	}

	/** How many limits lie below a place. */
	private before(place: number): number {
		let lo = 0;
		let hi = this.limits.length;
		while (lo < hi) {
			const mid = (lo + hi) >> 1;
			if (this.limits[mid] < place) lo = mid + 1;
			else hi = mid;
		}
		return lo;
	}

	at(place: number): Bits {
		const i = this.before(place);
		const stretch = this.limits[i] === place ? 2 * i + 1 : 2 * i;
		return this.bits[Math.floor(stretch / this.shared)];
	}
}

/** The rows of one input, by the value it has. */
class Column {
	private readonly blank: Bits;
	private readonly yes: Bits;
	private readonly no: Bits;
	private readonly texts = new Map<string, Bits>();
	private readonly otherText: Bits;
	private readonly numbers: Stretches<Num>;
	private readonly dates: Stretches<LocalDate>;
	/** Every cell compares with constants and nothing else. */
	readonly plain: boolean;

	constructor(cells: readonly IndexedCell[], env: Env, words: number) {
		const tried = Object.create(env) as Env;
		const all = cells.map(({ tests, run }) => {
			const own = constantsOf(tests);
			const takes = (v: Value) => {
				tried.input = v;
				tried.steps = STEPS;
				try {
					return run(tried) === true;
				} catch {
					// what it comes to is for whoever asks it in earnest
					return true;
				}
			};
			return { own, takes, ordersTexts: !!own && ordersTexts(tests!) };
		});
		this.plain = all.every((c) => c.own);
		const rowsWith = (v: Value, unless: (c: (typeof all)[number]) => boolean = () => false) => {
			const bits = new Uint32Array(words);
			all.forEach((c, row) => {
				if (!c.own || unless(c) || c.takes(v)) bits[row >> 5] |= 1 << (row & 31);
			});
			return bits;
		};
		this.blank = rowsWith(null);
		this.yes = rowsWith(true);
		this.no = rowsWith(false);
		// a cell that says less or more of a text may take any
		this.otherText = rowsWith(ANOTHER, (c) => c.ordersTexts);
		all.forEach((c, row) => {
			const own = new Set(c.own?.filter((v) => typeof v === 'string'));
			for (const text of own) {
				const bits = this.texts.get(text) ?? this.otherText.slice();
				this.texts.set(text, bits);
				if (c.ordersTexts || c.takes(text)) bits[row >> 5] |= 1 << (row & 31);
			}
		});
		const on = <T>(is: (v: Value) => v is Value & T) =>
			all.map(({ own, takes }) => ({ own: own?.filter(is) ?? null, takes }));
		this.numbers = new Stretches(
			NUMBERS,
			on((v): v is Num => v instanceof Num),
			words
		);
		this.dates = new Stretches(
			DATES,
			on((v): v is LocalDate => v instanceof LocalDate),
			words
		);
	}

	/** The rows that may take a value; null for values of which the index knows nothing. */
	rows(v: Value): Bits | null {
		if (v === null) return this.blank;
		if (typeof v === 'string') return this.texts.get(v) ?? this.otherText;
		if (v instanceof Num) return this.numbers.at(v.toDouble());
		if (typeof v === 'boolean') return v ? this.yes : this.no;
		if (v instanceof LocalDate) return this.dates.at(v.epochDay);
		return null;
	}
}

/** Whether a cell puts texts in an order. */
function ordersTexts(tests: Tests): boolean {
	let texts = false;
	let orders = false;
	walk(tests, (e) => {
		texts ||= e.k === 'text' || e.k === 'option';
		orders ||= e.k === 'range' || (e.k === 'cmp' && e.op !== '=' && e.op !== '!=');
		return true;
	});
	return texts && orders;
}

export class RowIndex {
	private readonly columns: Column[];
	private readonly words: number;
	/** Which rows match hangs on the values of the inputs alone. */
	readonly plain: boolean;

	/** @param rows the cells of each row, one for each input */
	constructor(
		private readonly rows: readonly (readonly IndexedCell[])[],
		inputs: number,
		env: Env
	) {
		this.words = Math.ceil(rows.length / 32);
		this.columns = Array.from(
			{ length: inputs },
			(_, k) =>
				new Column(
					rows.map((r) => r[k]),
					env,
					this.words
				)
		);
		this.plain = this.columns.every((c) => c.plain);
	}

	/**
	 * Visits the rows that may match, in their order, until one ends it by giving true.
	 * @param values of the inputs
	 */
	visit(values: readonly Value[], one: (row: number) => boolean): void {
		const sets: Bits[] = [];
		this.columns.forEach((c, k) => {
			const bits = c.rows(values[k]);
			if (bits) sets.push(bits);
		});
		for (let w = 0; w < this.words; w++) {
			let left =
				w === this.words - 1 && this.rows.length % 32 ? 2 ** (this.rows.length % 32) - 1 : -1;
			for (const bits of sets) left &= bits[w];
			while (left) {
				const bit = left & -left;
				left ^= bit;
				if (one(w * 32 + 31 - Math.clz32(bit))) return;
			}
		}
	}
}
