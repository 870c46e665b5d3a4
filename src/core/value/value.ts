/** The values that fields hold and formulas compute, and what is meant by equal, ordered and blank. */
import { Num, compareNum } from './num';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from './temporal';

/** A FEEL range; a null end is unbounded. */
export class Range {
	constructor(
		readonly lo: Value,
		readonly loIn: boolean,
		readonly hi: Value,
		readonly hiIn: boolean
	) {}

	toString(): string {
		const side = (v: Value) => (v === null ? '' : show(v));
		return `${this.loIn ? '[' : '('}${side(this.lo)}..${side(this.hi)}${this.hiIn ? ']' : ')'}`;
	}
}

/** A FEEL function value. */
export class Func {
	constructor(
		readonly params: readonly string[],
		readonly call: (args: Value[]) => Value
	) {}
}

/** A FEEL context: names to values, in the order written. */
export type Context = ReadonlyMap<string, Value>;

/**
 * Any value. Blank is null. A choice is the identity of its option and a link the identity of
 * its record, both as text: types are settled when a formula is compiled, not looked up here.
 */
export type Value =
	| null
	| boolean
	| string
	| Num
	| LocalDate
	| LocalTime
	| Moment
	| DayTime
	| YearMonth
	| Range
	| Func
	| Context
	| readonly Value[];

export const isList = (v: Value): v is readonly Value[] => Array.isArray(v);
export const isContext = (v: Value): v is Context => v instanceof Map;

/** Blank is null, text without any visible character, and an empty list. */
export function isBlank(v: Value): boolean {
	return (
		v === null || (typeof v === 'string' && v.trim() === '') || (Array.isArray(v) && !v.length)
	);
}

/**
 * FEEL equality: null when the two are of kinds that cannot be compared.
 * Two blanks are equal; a blank and a value are not.
 */
export function equal(a: Value, b: Value): boolean | null {
	if (a === b) return true;
	if (a === null || b === null) return false;
	if (typeof a === 'string' || typeof a === 'boolean') return typeof a === typeof b ? false : null;
	if (a instanceof Num) return b instanceof Num ? compareNum(a, b) === 0 : null;
	if (a instanceof LocalDate) return b instanceof LocalDate ? a.epochDay === b.epochDay : null;
	if (a instanceof Moment)
		return b instanceof Moment ? sameOffsets(a.time, b.time) && a.epochMs === b.epochMs : null;
	if (a instanceof LocalTime) return b instanceof LocalTime ? between(a, b) === 0 : null;
	if (a instanceof DayTime) return b instanceof DayTime ? a.ms === b.ms : null;
	if (a instanceof YearMonth) return b instanceof YearMonth ? a.months === b.months : null;
	if (isList(a)) {
		if (!isList(b)) return null;
		return a.length === b.length && a.every((x, i) => equal(x, b[i]) === true);
	}
	if (a instanceof Range) {
		if (!(b instanceof Range)) return null;
		const ends = equal(a.lo, b.lo) === true && equal(a.hi, b.hi) === true;
		return ends && a.loIn === b.loIn && a.hiIn === b.hiIn;
	}
	if (isContext(a)) {
		if (!isContext(b)) return null;
		return a.size === b.size && [...a].every(([k, v]) => b.has(k) && equal(v, b.get(k)!) === true);
	}
	return null;
}

const sameOffsets = (a: LocalTime, b: LocalTime) => (a.offset === null) === (b.offset === null);
/** Milliseconds between two times; where one has no offset, between their readings. */
const between = (a: LocalTime, b: LocalTime) =>
	sameOffsets(a, b) ? a.ms - b.ms - ((a.offset ?? 0) - (b.offset ?? 0)) * 1000 : a.ms - b.ms;

/** Below, equal or above 0; null when the two have no order between them. */
export function order(a: Value, b: Value): number | null {
	if (a instanceof Num) return b instanceof Num ? compareNum(a, b) : null;
	if (typeof a === 'string') return typeof b === 'string' ? compareText(a, b) : null;
	if (a instanceof LocalDate) return b instanceof LocalDate ? a.epochDay - b.epochDay : null;
	if (a instanceof Moment)
		return b instanceof Moment && sameOffsets(a.time, b.time) ? a.epochMs - b.epochMs : null;
	if (a instanceof LocalTime) return b instanceof LocalTime ? between(a, b) : null;
	if (a instanceof DayTime) return b instanceof DayTime ? a.ms - b.ms : null;
	if (a instanceof YearMonth) return b instanceof YearMonth ? a.months - b.months : null;
	return null;
}

/** By code point, the same on every machine. */
function compareText(a: string, b: string): number {
	if (a === b) return 0;
	const n = Math.min(a.length, b.length);
	for (let i = 0; i < n; i++) {
		const [x, y] = [a.charCodeAt(i), b.charCodeAt(i)];
		if (x === y) continue;
		// surrogates stand for code points above every other unit
		const [sx, sy] = [x >= 0xd800 && x <= 0xdfff, y >= 0xd800 && y <= 0xdfff];
		return sx === sy ? x - y : sx ? 1 : -1;
	}
	return a.length - b.length;
}

/**
 * Whether two field values are the same, as *changed* means it: typed, so that 10 and 10.00 are
 * one value; a set of options has no order; every blank is the same blank.
 */
export function same(a: Value, b: Value): boolean {
	if (a === b) return true;
	if (isBlank(a) || isBlank(b)) return isBlank(a) && isBlank(b);
	if (isList(a) && isList(b))
		return a.length === b.length && a.every((x) => b.some((y) => same(x, y)));
	return equal(a, b) === true;
}

/** A value as FEEL would write it, without labels of choices: for messages and for `string()` inside lists. */
export function show(v: Value): string {
	if (v === null) return 'null';
	if (typeof v === 'string') return JSON.stringify(v);
	if (isList(v)) return `[${v.map(show).join(', ')}]`;
	if (isContext(v)) return `{${[...v].map(([k, x]) => `${k}: ${show(x)}`).join(', ')}}`;
	if (v instanceof Func) return `function(${v.params.join(', ')})`;
	return String(v);
}
