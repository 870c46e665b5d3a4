/** What the operators do: comparison, arithmetic over numbers, dates, times and durations, tests. */
import * as n from '../value/num';
import { Num } from '../value/num';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from '../value/temporal';
import type { Value } from '../value/value';
import { Range, equal, isContext, isList, order, same } from '../value/value';
import { LimitError, heldText, take, takeFor } from './budget';
import type { BinOp, CmpOp } from '../document/tree';
import type { Ty } from './types';
import * as T from './types';
import type { Env } from './env';

export const isCompare = (op: BinOp): op is CmpOp => ['=', '!=', '<', '<=', '>', '>='].includes(op);

/** Steps of the operators: a decimal that is no small one costs this much. */
export const STEPS_OF: Record<BinOp, number> = {
	'+': 4,
	'-': 4,
	'*': 8,
	'/': 16,
	'**': 20,
	'=': 1,
	'!=': 1,
	'<': 1,
	'<=': 1,
	'>': 1,
	'>=': 1
};

/** A power, paid by how hard it is to reckon: with a fraction it takes a logarithm. */
function power(a: Num, b: Num, env: Env): Num | null {
	const e = n.toInteger(b);
	take(env, e === null ? 5000 : Math.min(1000, Math.ceil(Math.abs(e) / 4)));
	const r = n.pow(a, b);
	const none = n.isZero(a) || (e === null && n.compareNum(a, ZERO) < 0);
	return none ? r : inRange(r, !n.isZero(a));
}

const ZERO = n.num(0);

/**
 * A result of reckoning, where there must be one. One that is too large or too small to be written is
 * no blank and no 0. @param notZero it cannot be 0 @throws {LimitError}
 */
function inRange(r: Num | null, notZero: boolean): Num {
	if (r === null || (notZero && n.isZero(r)))
		throw new LimitError(
			'A number lies between 1e-6143 and 9.99e6144, above 0 or below; this leaves it.'
		);
	return r;
}

/** A value that takes more than a glance to compare. */
export const isDeep = (v: Value) =>
	isList(v) || isContext(v) || v instanceof Range || (typeof v === 'string' && v.length > 100);

/** Two values are compared no further than the smaller of them goes. */
export function takeForBoth(env: Env, a: Value, b: Value) {
	const size = (v: Value) => (isList(v) ? v.length : isContext(v) ? v.size : 0);
	takeFor(env, size(a) <= size(b) ? a : b);
}

export function both(a: boolean | null, b: boolean | null): boolean | null {
	if (a === false || b === false) return false;
	return a === null || b === null ? null : true;
}

export const ORDER: Record<'<' | '<=' | '>' | '>=', (o: number) => boolean> = {
	'<': (o) => o < 0,
	'<=': (o) => o <= 0,
	'>': (o) => o > 0,
	'>=': (o) => o >= 0
};

export function cmp(op: CmpOp, a: Value, b: Value): boolean | null {
	if (op === '=' || op === '!=') {
		const r = equalLoose(a, b);
		return r === null ? null : r === (op === '=');
	}
	const o = order(a, b);
	return o === null ? null : ORDER[op](o);
}

/** Equality of two sets of options, which have no order. */
export function equalSets(a: Value, b: Value): boolean | null {
	return isList(a) && isList(b) ? same(a, b) : equalLoose(a, b);
}

/** Equality where a list may be compared: a list of one is its item. */
export function equalLoose(a: Value, b: Value): boolean | null {
	if (isList(a) && isList(b)) return equal(a, b);
	if (isList(a) && a.length === 1 && b !== null) return equal(a[0], b);
	if (isList(b) && b.length === 1 && a !== null) return equal(a, b[0]);
	return equal(a, b);
}

export function within(v: Value, r: Value): boolean | null {
	if (!(r instanceof Range)) return null;
	const low = r.lo === null ? true : cmp(r.loIn ? '>=' : '>', v, r.lo);
	const high = r.hi === null ? true : cmp(r.hiIn ? '<=' : '<', v, r.hi);
	return both(low, high);
}

export function isOneOf(v: Value, test: Value): boolean | null {
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

/** The product. @throws {LimitError} when it cannot be written */
export function times(a: Num, b: Num): Num {
	const r = n.mul(a, b);
	return r && r.coef !== 0 ? r : inRange(r, !n.isZero(a) && !n.isZero(b));
}

export const NUMERIC: Partial<Record<BinOp, (a: Num, b: Num, env: Env) => Num | null>> = {
	'+': (a, b) => n.add(a, b) ?? inRange(null, false),
	'-': (a, b) => n.sub(a, b) ?? inRange(null, false),
	'*': times,
	'/': (a, b) => {
		const r = n.div(a, b);
		return (r && r.coef !== 0) || n.isZero(b) ? r : inRange(r, !n.isZero(a));
	},
	'**': power
};

export function arithmeticType(op: BinOp, a: Ty, b: Ty): Ty | null {
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

export function arithmetic(op: BinOp, a: Value, b: Value, env: Env): Value {
	if (a === null || b === null) return null;
	if (a instanceof Num && b instanceof Num) return NUMERIC[op]!(a, b, env);
	if (op === '+' && typeof a === 'string' && typeof b === 'string') {
		take(env, (a.length + b.length) >> 4);
		return heldText(a + b);
	}
	if (op === '+' || op === '-') {
		const sign = op === '+' ? 1 : -1;
		if (a instanceof DayTime && b instanceof DayTime) return ofMs(n.num(a.ms + sign * b.ms));
		if (a instanceof YearMonth && b instanceof YearMonth)
			return ofMonths(n.num(a.months + sign * b.months));
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
			if (!d || !a.zone) return d && new Moment(d, a.time);
			return (a.bare ? Moment.reading : Moment.inZone)(
				d,
				new LocalTime(a.time.ms),
				a.zone,
				env.zones
			);
		}
		if (a instanceof Moment && b instanceof DayTime) return plusTime(a, sign * b.ms, env);
		if (op === '-') {
			const [p, q] = [instantOf(a, env), instantOf(b, env)];
			if (p && q && p.zoned === q.zoned) return new DayTime(p.ms - q.ms);
			if (a instanceof LocalTime && b instanceof LocalTime) return new DayTime(order(a, b)!);
		}
		return null;
	}
	if (op === '*' && a instanceof Num) return arithmetic('*', b, a, env);
	if (b instanceof Num && (op === '*' || op === '/')) {
		if (op === '/' && n.isZero(b)) return null;
		const times = (x: number) => NUMERIC[op]!(n.num(x), b, env)!;
		if (a instanceof DayTime) return ofMs(times(a.ms));
		if (a instanceof YearMonth) return ofMonths(times(a.months));
	}
	if (op === '/') {
		if (a instanceof DayTime && b instanceof DayTime) return n.div(n.num(a.ms), n.num(b.ms));
		if (a instanceof YearMonth && b instanceof YearMonth)
			return n.div(n.num(a.months), n.num(b.months));
	}
	return null;
}

/** A duration in whole milliseconds, or months, towards zero. @throws {LimitError} when it is too long */
const ofMs = (x: Num) => new DayTime(wholeOf(x, 'A duration has at most 285 000 years.'));
const ofMonths = (x: Num) =>
	new YearMonth(wholeOf(x, 'A duration has at most 750 trillion years.'));
function wholeOf(x: Num, bound: string): number {
	const r = n.roundTo(x, 0, 'down');
	const whole = r && n.toInteger(r);
	if (whole === null) throw new LimitError(bound);
	return whole;
}

/** An instant for a difference; a day is its first moment on the workspace's clock. */
function instantOf(v: Value, env: Env): { ms: number; zoned: boolean } | null {
	if (v instanceof LocalDate)
		return instantOf(Moment.reading(v, new LocalTime(0), env.zone, env.zones), env);
	if (v instanceof Moment) return { ms: v.epochMs, zoned: v.time.offset !== null };
	return null;
}

function plusTime(m: Moment, ms: number, env: Env): Moment | null {
	const instant = m.epochMs + ms;
	if (m.zone) {
		const to = Moment.fromInstant(instant, m.zone, env.zones);
		return to && m.bare ? new Moment(to.date, to.time, to.zone, true) : to;
	}
	const local = instant + (m.time.offset ?? 0) * 1000;
	const day = Math.floor(local / 86_400_000);
	const date = LocalDate.fromEpochDay(day);
	return date && new Moment(date, new LocalTime(local - day * 86_400_000, m.time.offset));
}
