/**
 * The functions of FEEL (DMN 1.5, chapter 10.3.4) and those of our own, marked `ours`.
 * Each gives null where the standard does: on blank or unfitting arguments.
 */
import { RE2JS } from 're2js';
import {
	isE164,
	isEmail,
	isGln,
	isGtin,
	isIban,
	isLei,
	isPostalCode,
	isVatNumber,
	passesLuhn,
	toE164
} from '../identifiers/identifiers';
import * as n from '../value/num';
import { Num } from '../value/num';
import type { ZoneClock } from '../value/temporal';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from '../value/temporal';
import type { Value } from '../value/value';
import { Func, Range, equal, isBlank, isContext, isList, order, show } from '../value/value';
import type { Ty } from './types';
import {
	ANY,
	BOOLEAN,
	DATE,
	DAYTIME,
	FUNCTION,
	MOMENT,
	NUMBER,
	TEXT,
	TIME,
	YEARMONTH,
	listOf
} from './types';

/** What a function may ask of its surroundings. */
export interface FnEnv {
	zone: string;
	zones: ZoneClock;
}

/** One way to call a function. */
export interface FnDef {
	name: string;
	params: { name: string; ty: Ty; optional?: boolean }[];
	/** The last parameter may be repeated, or given as one list. */
	rest?: boolean;
	/** Called with nulls too; else a null argument gives null. */
	nulls?: boolean;
	ret: Ty;
	call: (args: Value[], env: FnEnv) => Value;
	help: string;
	example: string;
	ours?: boolean;
}

/** Longest text a function gives, in UTF-16 units, and longest list. */
export const MAX_TEXT = 1_000_000;
export const MAX_LIST = 100_000;

/** Parts that can be read behind a dot on dates, times, durations and ranges. */
export const PROPERTIES = [
	'year',
	'month',
	'day',
	'weekday',
	'hour',
	'minute',
	'second',
	'time offset',
	'timezone',
	'days',
	'hours',
	'minutes',
	'seconds',
	'years',
	'months',
	'start included',
	'end included',
	'start',
	'end',
	'value'
] as const;

const defs: FnDef[] = [];

/** Reads `name(param: type, [optional: type], rest...: type): type`. */
const TYPES: Record<string, Ty> = {
	any: ANY,
	bool: BOOLEAN,
	num: NUMBER,
	text: TEXT,
	date: DATE,
	time: TIME,
	moment: MOMENT,
	daytime: DAYTIME,
	yearmonth: YEARMONTH,
	fn: FUNCTION,
	list: listOf(ANY),
	nums: listOf(NUMBER),
	texts: listOf(TEXT),
	bools: listOf(BOOLEAN),
	dates: listOf(DATE)
};

function def(
	signature: string,
	help: string,
	example: string,
	call: FnDef['call'],
	flags: Pick<FnDef, 'nulls' | 'ours'> = {}
) {
	const m = /^([^(]+)\((.*)\): (\w+)$/.exec(signature)!;
	const parts = m[2] ? m[2].split(', ') : [];
	const rest = parts.some((p) => p.includes('...'));
	const params = parts.map((p) => {
		const [, open, name, ty] = /^(\[?)([^:.]+)(?:\.\.\.)?: (\w+)\]?$/.exec(p)!;
		return { name, ty: TYPES[ty], ...(open ? { optional: true } : {}) };
	});
	defs.push({ name: m[1], params, rest, ret: TYPES[m[3]], call, help, example, ...flags });
}

const asText = (v: Value) => (typeof v === 'string' ? v : null);
const whole = (v: Value) => (v instanceof Num ? n.toInteger(v) : null);
const int = (x: number) => n.num(x);
/** Texts count in code points, as the standard says. */
const points = (s: string) => Array.from(s);

function numbers(list: Value): Num[] | null {
	if (!isList(list)) return null;
	const out = list.filter((x) => x !== null);
	return out.every((x) => x instanceof Num) ? (out as Num[]) : null;
}

// ---- conversion ---------------------------------------------------------------------------------

function toText(v: Value): string | null {
	return v === null ? null : typeof v === 'string' ? v : show(v);
}

def(
	'string(from: any): text',
	'The value as text; a choice gives its label.',
	'string(12.50) = "12.5"',
	([v]) => toText(v)
);
def(
	'number(from: text, [grouping separator: text], [decimal separator: text]): num',
	'Reads a number from text, with the separators named.',
	'number("1 500,5", " ", ",") = 1500.5',
	([s, g, d]) => {
		let t = asText(s)?.trim() ?? null;
		if (t === null) return null;
		if (g !== null && g !== undefined) {
			if (![' ', '.', ','].includes(g as string) || g === d) return null;
			t = t.split(g as string).join('');
		}
		if (d !== null && d !== undefined) {
			if (d !== '.' && d !== ',') return null;
			t = t.replace(d, '.');
		}
		return n.parseNum(t);
	},
	{ nulls: true }
);
def(
	'date(from: any): date',
	'A date from text, or the date of a date and time.',
	'date("2026-11-23")',
	([v]) => {
		if (typeof v === 'string') return LocalDate.parse(v);
		if (v instanceof Moment) return v.date;
		return v instanceof LocalDate ? v : null;
	}
);
def(
	'date(year: num, month: num, day: num): date',
	'A date from its parts.',
	'date(2026, 11, 23)',
	([y, m, d]) => {
		const [a, b, c] = [whole(y), whole(m), whole(d)];
		return a === null || b === null || c === null ? null : LocalDate.of(a, b, c);
	}
);
def(
	'time(from: any): time',
	'A time from text, or the time of a date and time.',
	'time("09:30:00")',
	([v]) => {
		if (typeof v === 'string') return LocalTime.parse(v);
		if (v instanceof Moment) return v.time;
		return v instanceof LocalTime ? v : null;
	}
);
def(
	'time(hour: num, minute: num, second: num, [offset: daytime]): time',
	'A time from its parts.',
	'time(9, 30, 0)',
	([h, m, s, o]) => {
		const [a, b] = [whole(h), whole(m)];
		if (a === null || b === null || !(s instanceof Num)) return null;
		return LocalTime.of(a, b, s.toDouble(), o instanceof DayTime ? o.ms / 1000 : null);
	},
	{ nulls: true }
);
def(
	'date and time(from: text): moment',
	'A date and time from text.',
	'date and time("2026-11-23T09:30:00")',
	([s], env) => {
		const t = asText(s);
		if (t === null) return null;
		const d = LocalDate.parse(t);
		return d ? new Moment(d, new LocalTime(0)) : Moment.parse(t, env.zones);
	}
);
def(
	'date and time(date: any, time: time): moment',
	'A date and time from a date and a time.',
	'date and time(today, time("09:00:00"))',
	([d, t]) => {
		const date = d instanceof Moment ? d.date : d;
		return date instanceof LocalDate && t instanceof LocalTime ? new Moment(date, t) : null;
	}
);
def(
	'date and time(date: any, time: time, zone: text): moment',
	'A date and time on the clock of a zone.',
	'string(date and time(date("2026-07-01"), time("12:00:00"), "Europe/Paris").time offset) = "PT2H"',
	([d, t, z], env) => {
		const date = d instanceof Moment ? d.date : d;
		return date instanceof LocalDate && t instanceof LocalTime
			? Moment.inZone(date, new LocalTime(t.ms), z as string, env.zones)
			: null;
	}
);
def(
	'range(from: text): any',
	'A range from its text; its ends are literals.',
	'range("[18..21)") = [18..21)',
	([s]) => rangeOfText(s as string)
);
const RANGE = /^\s*([\[(\]])\s*(.*?)\s*\.\.\s*(.*?)\s*([\])[])\s*$/s;
/** The ends of a range in text: numbers, texts in quotes, `@` literals, or nothing for an open end. */
function rangeOfText(text: string): Range | null {
	const m = text.length > 1000 ? null : RANGE.exec(text);
	if (!m) return null;
	const [lo, hi] = [endOfRange(m[2]), endOfRange(m[3])];
	if (lo === undefined || hi === undefined || (lo === null && hi === null)) return null;
	if (lo !== null && hi !== null && (order(lo, hi) ?? 1) > 0) return null;
	return new Range(lo, m[1] === '[' && lo !== null, hi, m[4] === ']' && hi !== null);
}
function endOfRange(text: string): Value | undefined {
	if (text === '') return null;
	const number = /^-?(\d|\.\d)/.test(text) ? n.parseNum(text) : null;
	if (number) return number;
	const quoted = /^(@|date|time|date and time|duration)?\s*\(?\s*"([^"\\]*)"\s*\)?$/.exec(text);
	if (!quoted) return undefined;
	if (!quoted[1]) return quoted[2];
	const [, , t] = quoted;
	return (
		LocalDate.parse(t) ??
		LocalTime.parse(t) ??
		YearMonth.parse(t) ??
		DayTime.parse(t) ??
		Moment.parse(t) ??
		undefined
	);
}
def(
	'duration(from: text): any',
	'A duration from text: P1Y6M, P3D, PT12H.',
	'duration("P3D")',
	([s]) => {
		const t = asText(s);
		return t === null ? null : (YearMonth.parse(t) ?? DayTime.parse(t));
	}
);
def(
	'years and months duration(from: any, to: any): yearmonth',
	'Whole months between two dates.',
	'years and months duration(date("2025-01-31"), date("2026-03-01"))',
	([a, b]) => {
		const [x, y] = [a, b].map((v) => (v instanceof Moment ? v.date : v));
		if (!(x instanceof LocalDate) || !(y instanceof LocalDate)) return null;
		let months = (y.year - x.year) * 12 + (y.month - x.month);
		if (months > 0 && y.day < x.day) months--;
		if (months < 0 && y.day > x.day) months++;
		return new YearMonth(months);
	}
);

// ---- yes and no ---------------------------------------------------------------------------------

def(
	'not(negand: bool): bool',
	'The opposite; unknown stays unknown.',
	'not(false) = true',
	([b]) => (typeof b === 'boolean' ? !b : null)
);
def(
	'all(list: bools): bool',
	'Whether every item is true; false decides, blank leaves it unknown.',
	'all([true, false]) = false',
	([l]) => three(l, false)
);
def(
	'any(list: bools): bool',
	'Whether an item is true; true decides, blank leaves it unknown.',
	'any([false, true]) = true',
	([l]) => three(l, true)
);
function three(list: Value, decides: boolean): boolean | null {
	const items = isList(list) ? list : [list];
	if (items.includes(decides)) return decides;
	return items.every((x) => x === !decides) ? !decides : null;
}
def(
	'is(value1: any, value2: any): bool',
	'Whether both are the same value of the same kind.',
	'is(1, 1) = true',
	([a, b]) => a === b || (a !== null && equal(a, b) === true),
	{ nulls: true }
);
def(
	'is blank(value: any): bool',
	'Whether nothing is there: null, text of spaces only, an empty list.',
	'is blank("  ") = true',
	([v]) => isBlank(v),
	{ nulls: true, ours: true }
);
def(
	'otherwise(value: any, instead: any): any',
	'The value, or the other one where it is blank.',
	'otherwise(null, 0) = 0',
	([v, d]) => (isBlank(v) ? d : v),
	{ nulls: true, ours: true }
);

// ---- text ---------------------------------------------------------------------------------------

def(
	'string length(string: text): num',
	'How many characters the text has.',
	'string length("tulip") = 5',
	([s]) => int(points(s as string).length)
);
def(
	'substring(string: text, start position: num, [length: num]): text',
	'Part of a text; the first position is 1, negative ones count from the end.',
	'substring("glasshouse", 6) = "house"',
	([s, a, l]) => {
		const p = points(asText(s) ?? '');
		const start = whole(a);
		const len = l === undefined || l === null ? p.length : whole(l);
		if (asText(s) === null || start === null || start === 0 || len === null || len < 0) return null;
		const from = start > 0 ? start - 1 : Math.max(0, p.length + start);
		return p.slice(from, from + len).join('');
	},
	{ nulls: true }
);
def('upper case(string: text): text', 'In capitals.', 'upper case("ab") = "AB"', ([s]) =>
	(s as string).toUpperCase()
);
def('lower case(string: text): text', 'In small letters.', 'lower case("AB") = "ab"', ([s]) =>
	(s as string).toLowerCase()
);
def(
	'substring before(string: text, match: text): text',
	'What stands before the first match; empty when there is none.',
	'substring before("given family", " ") = "given"',
	([s, m]) => {
		const i = (s as string).indexOf(m as string);
		return i < 0 ? '' : (s as string).slice(0, i);
	}
);
def(
	'substring after(string: text, match: text): text',
	'What stands behind the first match; empty when there is none.',
	'substring after("given family", " ") = "family"',
	([s, m]) => {
		const i = (s as string).indexOf(m as string);
		return i < 0 ? '' : (s as string).slice(i + (m as string).length);
	}
);
def(
	'contains(string: text, match: text): bool',
	'Whether the text has the match in it.',
	'contains("glass", "as") = true',
	([s, m]) => (s as string).includes(m as string)
);
def(
	'starts with(string: text, match: text): bool',
	'Whether the text begins so.',
	'starts with("NL-3", "NL") = true',
	([s, m]) => (s as string).startsWith(m as string)
);
def(
	'ends with(string: text, match: text): bool',
	'Whether the text ends so.',
	'ends with("a.eu", ".eu") = true',
	([s, m]) => (s as string).endsWith(m as string)
);

/** Patterns are RE2: their time grows with the text, whatever the pattern. */
function pattern(p: Value, flags: Value): RE2JS | null {
	if (typeof p !== 'string' || p.length > 1000) return null;
	let bits = 0;
	for (const f of typeof flags === 'string' ? flags : '') {
		if (f === 'i') bits |= RE2JS.CASE_INSENSITIVE;
		else if (f === 's') bits |= RE2JS.DOTALL;
		else if (f === 'm') bits |= RE2JS.MULTILINE;
		else return null;
	}
	try {
		return RE2JS.compile(p, bits);
	} catch {
		return null;
	}
}
def(
	'matches(input: text, pattern: text, [flags: text]): bool',
	'Whether the pattern is found in the text.',
	'matches("NL-3012", "[A-Z]{2}-\\\\d+") = true',
	([s, p, f]) => {
		const re = pattern(p, f ?? null);
		return re && typeof s === 'string' ? re.matcher(s).find() : null;
	},
	{ nulls: true }
);
def(
	'replace(input: text, pattern: text, replacement: text, [flags: text]): text',
	'Each match of the pattern replaced.',
	'replace("a  b", " +", " ") = "a b"',
	([s, p, r, f]) => {
		const re = pattern(p, f ?? null);
		return re && typeof s === 'string' && typeof r === 'string'
			? re.matcher(s).replaceAll(r)
			: null;
	},
	{ nulls: true }
);
def(
	'split(string: text, delimiter: text): texts',
	'The parts between matches of the pattern.',
	'split("a;b", ";") = ["a", "b"]',
	([s, p]) => {
		const re = pattern(p, null);
		return re && re.split(s as string, -1);
	}
);
def(
	'string join(list: texts, [delimiter: text]): text',
	'The texts put together; blanks are left out.',
	'string join(["a", "b"], ", ") = "a, b"',
	([l, d]) => {
		if (!isList(l)) return null;
		const items = l.filter((x) => x !== null);
		if (!items.every((x) => typeof x === 'string')) return null;
		const out = items.join(asText(d) ?? '');
		return out.length > MAX_TEXT ? null : out;
	},
	{ nulls: true }
);
def(
	'trim(string: text): text',
	'Without spaces at either end.',
	'trim(" a ") = "a"',
	([s]) => (s as string).trim(),
	{ ours: true }
);
def(
	'squeeze(string: text): text',
	'Without spaces at either end, and inner runs of spaces made one.',
	'squeeze(" a  b ") = "a b"',
	([s]) => (s as string).trim().replace(/\s+/gu, ' '),
	{ ours: true }
);
def(
	'words(string: text): texts',
	'The words of a text, parted at spaces.',
	'count(words("North Quay Roses")) = 3',
	([s]) => (s as string).split(/\s+/u).filter((w) => w !== ''),
	{ ours: true }
);
def(
	'proper case(string: text): text',
	'Each word with a capital first and small letters after.',
	'proper case("anna DE vries") = "Anna De Vries"',
	([s]) =>
		(s as string)
			.toLowerCase()
			.replace(/(^|[\s\-'’])(\p{L})/gu, (_, a: string, b: string) => a + b.toUpperCase()),
	{ ours: true }
);

// ---- numbers ------------------------------------------------------------------------------------

const ROUNDS = {
	'round half up': 'half up',
	'round half down': 'half down',
	'round up': 'up',
	'round down': 'down'
} as const;
/** FEEL's “half up” and “up” go away from zero, “half down” and “down” towards it. */
for (const [name, how] of Object.entries(ROUNDS))
	def(
		`${name}(n: num, scale: num): num`,
		'Rounded to a number of decimals.',
		`${name}(5.55, 1)`,
		([v, s]) => {
			const k = whole(s);
			return k === null ? null : n.roundTo(v as Num, k, how);
		}
	);
def(
	'decimal(n: num, scale: num): num',
	'Rounded to a number of decimals, halves to the even digit.',
	'decimal(2.5, 0) = 2',
	([v, s]) => {
		const k = whole(s);
		return k === null ? null : n.roundTo(v as Num, k);
	}
);
for (const how of ['floor', 'ceiling'] as const)
	def(
		`${how}(n: num, [scale: num]): num`,
		how === 'floor' ? 'Rounded down.' : 'Rounded up.',
		`${how}(1.5) = ${how === 'floor' ? 1 : 2}`,
		([v, s]) => {
			const k = s === undefined ? 0 : whole(s);
			return k === null || !(v instanceof Num) ? null : n.roundTo(v, k, how);
		},
		{ nulls: true }
	);
def('abs(n: any): any', 'Without its sign; of a number or a duration.', 'abs(-10) = 10', ([v]) => {
	if (v instanceof Num) return n.compareNum(v, int(0)) < 0 ? n.negate(v) : v;
	if (v instanceof DayTime) return new DayTime(Math.abs(v.ms));
	return v instanceof YearMonth ? new YearMonth(Math.abs(v.months)) : null;
});
def(
	'modulo(dividend: num, divisor: num): num',
	'The rest of a division, with the sign of the divisor.',
	'modulo(-12, 5) = 3',
	([a, b]) => n.modulo(a as Num, b as Num)
);
for (const which of ['sqrt', 'log', 'exp'] as const)
	def(
		`${which}(number: num): num`,
		{ sqrt: 'Square root.', log: 'Natural logarithm.', exp: 'e to the power of the number.' }[
			which
		],
		`${which}(16)`,
		([v]) => n.transcend(v as Num, which)
	);
def('odd(number: num): bool', 'Whether it is an odd whole number.', 'odd(5) = true', ([v]) =>
	parity(v, true)
);
def('even(number: num): bool', 'Whether it is an even whole number.', 'even(2) = true', ([v]) =>
	parity(v, false)
);
function parity(v: Value, odd: boolean): boolean | null {
	const rest = v instanceof Num ? n.modulo(v, int(2)) : null;
	const one = rest && n.toInteger(rest);
	return one === null || one === undefined ? null : (one === 1) === odd;
}

// ---- lists --------------------------------------------------------------------------------------

function extreme(list: Value, sign: number): Value {
	const items = isList(list) ? list.filter((x) => x !== null) : [];
	let best: Value = null;
	for (const x of items) {
		if (best === null) best = x;
		else {
			const o = order(x, best);
			if (o === null) return null;
			if (o * sign > 0) best = x;
		}
	}
	return best;
}
def('min(list...: any): any', 'The least.', 'min(3, 1, 2) = 1', ([l]) => extreme(l, -1), {
	nulls: true
});
def('max(list...: any): any', 'The greatest.', 'max(3, 1, 2) = 3', ([l]) => extreme(l, 1), {
	nulls: true
});
def('count(list: list): num', 'How many items the list has.', 'count([1, 2]) = 2', ([l]) =>
	isList(l) ? int(l.length) : int(1)
);
def(
	'sum(list...: any): num',
	'The numbers added up; blanks are left out.',
	'sum(1, 2, 3) = 6',
	([l]) => {
		const items = numbers(l);
		return items?.length ? items.reduce<Num | null>((a, b) => a && n.add(a, b), int(0)) : null;
	},
	{ nulls: true }
);
def(
	'mean(list...: any): num',
	'The average; blanks are left out.',
	'mean(1, 2, 3) = 2',
	([l]) => mean(numbers(l)),
	{ nulls: true }
);
def(
	'product(list...: any): num',
	'The numbers multiplied.',
	'product(2, 3) = 6',
	([l]) => {
		const items = numbers(l);
		return items?.length ? items.reduce<Num | null>((a, b) => a && n.mul(a, b), int(1)) : null;
	},
	{ nulls: true }
);
function mean(items: Num[] | null): Num | null {
	if (!items?.length) return null;
	const total = items.reduce<Num | null>((a, b) => a && n.add(a, b), int(0));
	return total && n.div(total, int(items.length));
}
def(
	'median(list...: any): num',
	'The middle one, or the mean of the middle two.',
	'median(8, 2, 5) = 5',
	([l]) => {
		const items = numbers(l)?.slice().sort(n.compareNum);
		if (!items?.length) return null;
		const h = items.length >> 1;
		return items.length % 2 ? items[h] : mean([items[h - 1], items[h]]);
	},
	{ nulls: true }
);
def(
	'stddev(list...: any): num',
	'The standard deviation of a sample.',
	'stddev(2, 4, 7, 5)',
	([l]) => {
		const items = numbers(l);
		const m = mean(items);
		if (!items || !m || items.length < 2) return null;
		let squares: Num | null = int(0);
		for (const x of items) {
			const d = n.sub(x, m);
			const sq = d && n.mul(d, d);
			squares = squares && sq && n.add(squares, sq);
		}
		const v = squares && n.div(squares, int(items.length - 1));
		return v && n.transcend(v, 'sqrt');
	},
	{ nulls: true }
);
def(
	'mode(list...: any): nums',
	'The numbers that occur most often.',
	'mode(6, 3, 9, 6, 6) = [6]',
	([l]) => {
		const items = numbers(l);
		if (!items) return null;
		const counts = new Map<string, { x: Num; c: number }>();
		for (const x of items) {
			const e = counts.get(x.toString()) ?? { x, c: 0 };
			counts.set(x.toString(), { x, c: e.c + 1 });
		}
		const most = Math.max(0, ...[...counts.values()].map((e) => e.c));
		return [...counts.values()]
			.filter((e) => e.c === most)
			.map((e) => e.x)
			.sort(n.compareNum);
	},
	{ nulls: true }
);
def(
	'list contains(list: list, element: any): bool',
	'Whether the list has the element.',
	'list contains([1, 2], 2) = true',
	([l, e]) => (isList(l) ? l.some((x) => equal(x, e) === true) : null),
	{ nulls: true }
);
def(
	'sublist(list: list, start position: num, [length: num]): list',
	'Part of a list, from a position on.',
	'sublist([4, 5, 6], 2) = [5, 6]',
	([l, a, c]) => {
		const start = whole(a);
		const len = c === undefined ? MAX_LIST : whole(c);
		if (!isList(l) || start === null || start === 0 || len === null || len < 0) return null;
		const from = start > 0 ? start - 1 : l.length + start;
		return from < 0 || from > l.length ? null : l.slice(from, from + len);
	},
	{ nulls: true }
);
def(
	'append(list: list, item...: any): list',
	'The list with more items behind it.',
	'append([1], 2) = [1, 2]',
	([l, more]) => (isList(l) && isList(more) ? capped([...l, ...more]) : null),
	{ nulls: true }
);
def(
	'concatenate(list...: any): list',
	'The lists one behind the other.',
	'concatenate([1], [2]) = [1, 2]',
	([l]) => (isList(l) ? capped(l.flatMap((x) => (isList(x) ? x : [x]))) : null),
	{ nulls: true }
);
def(
	'insert before(list: list, position: num, newItem: any): list',
	'The list with an item put in at a position.',
	'insert before([1, 3], 2, 2)',
	([l, p, x]) => {
		const i = index(l, p);
		return isList(l) && i !== null ? [...l.slice(0, i), x, ...l.slice(i)] : null;
	},
	{ nulls: true }
);
def(
	'remove(list: list, position: num): list',
	'The list without the item at a position.',
	'remove([1, 2, 3], 2) = [1, 3]',
	([l, p]) => {
		const i = index(l, p);
		return isList(l) && i !== null ? [...l.slice(0, i), ...l.slice(i + 1)] : null;
	}
);
def(
	'list replace(list: list, position: any, newItem: any): list',
	'The list with the item at a position replaced.',
	'list replace([1, 2], 2, 5) = [1, 5]',
	([l, p, x]) => {
		if (!isList(l)) return null;
		if (p instanceof Func) return l.map((v) => (p.call([v, x]) === true ? x : v));
		const i = index(l, p);
		return i === null ? null : [...l.slice(0, i), x, ...l.slice(i + 1)];
	},
	{ nulls: true }
);
function index(l: Value, p: Value): number | null {
	const k = whole(p);
	if (!isList(l) || k === null || k === 0) return null;
	const i = k > 0 ? k - 1 : l.length + k;
	return i < 0 || i >= l.length ? null : i;
}
def('reverse(list: list): list', 'The list from its end.', 'reverse([1, 2]) = [2, 1]', ([l]) =>
	isList(l) ? [...l].reverse() : null
);
def(
	'index of(list: list, match: any): nums',
	'The positions at which the element stands.',
	'index of([1, 2, 1], 1) = [1, 3]',
	([l, m]) => (isList(l) ? l.flatMap((x, i) => (equal(x, m) === true ? [int(i + 1)] : [])) : null),
	{ nulls: true }
);
def(
	'union(list...: any): list',
	'All items of the lists, each once.',
	'union([1, 2], [2, 3]) = [1, 2, 3]',
	([l]) => (isList(l) ? distinct(l.flatMap((x) => (isList(x) ? x : [x]))) : null),
	{ nulls: true }
);
def(
	'distinct values(list: list): list',
	'Each item once.',
	'distinct values([1, 1, 2]) = [1, 2]',
	([l]) => (isList(l) ? distinct(l) : null)
);
function distinct(l: readonly Value[]): Value[] {
	const out: Value[] = [];
	const seen = new Set<string>();
	for (const x of l) {
		const key = `${typeof x}:${show(x)}`;
		if (!seen.has(key)) {
			seen.add(key);
			out.push(x);
		}
	}
	return out;
}
def(
	'flatten(list: list): list',
	'Lists within the list dissolved.',
	'flatten([[1], [[2]]]) = [1, 2]',
	([l]) => {
		const out: Value[] = [];
		const stack: Value[] = [l];
		while (stack.length) {
			const x = stack.pop()!;
			if (isList(x)) for (let i = x.length - 1; i >= 0; i--) stack.push(x[i]);
			else out.push(x);
		}
		return out;
	}
);
def(
	'sort(list: list, [precedes: fn]): list',
	'The list in order, or in the order a function tells.',
	'sort([3, 1, 2]) = [1, 2, 3]',
	([l, f]) => {
		if (!isList(l)) return null;
		const by =
			f instanceof Func
				? (a: Value, b: Value) => (f.call([a, b]) === true ? -1 : f.call([b, a]) === true ? 1 : 0)
				: (a: Value, b: Value) => order(a, b) ?? 0;
		return [...l].sort(by);
	},
	{ nulls: true }
);
function capped(l: Value[]): Value[] | null {
	return l.length > MAX_LIST ? null : l;
}

// ---- contexts -----------------------------------------------------------------------------------

def(
	'get value(m: any, key: text): any',
	'The entry of a context.',
	'get value({a: 1}, "a") = 1',
	([m, k]) => (isContext(m) ? (m.get(k as string) ?? null) : null)
);
def(
	'get entries(m: any): list',
	'The entries of a context as a list of key and value.',
	'get entries({a: 1})',
	([m]) =>
		isContext(m)
			? [...m].map(
					([k, v]) =>
						new Map<string, Value>([
							['key', k],
							['value', v]
						])
				)
			: null
);

def(
	'context(entries: list): any',
	'A context from a list of key and value.',
	'get value(context([{key: "a", value: 1}]), "a") = 1',
	([l]) => {
		const out = new Map<string, Value>();
		for (const e of isList(l) ? l : [l]) {
			const [k, v] = isContext(e) ? [e.get('key'), e.get('value')] : [];
			if (typeof k !== 'string' || v === undefined || out.has(k)) return null;
			out.set(k, v);
		}
		return out;
	}
);
def(
	'context put(context: any, key: text, value: any): any',
	'The context with one entry set.',
	'get value(context put({a: 1}, "b", 2), "b") = 2',
	([m, k, v]) => (isContext(m) && typeof k === 'string' ? new Map([...m, [k, v ?? null]]) : null),
	{ nulls: true }
);
def(
	'context put(context: any, keys: texts, value: any): any',
	'The context with one entry set, down a path of keys.',
	'get value(get value(context put({a: {b: 1}}, ["a", "b"], 2), "a"), "b") = 2',
	([m, keys, v]) => (isList(keys) && keys.length ? putPath(m, keys, v ?? null) : null),
	{ nulls: true }
);
function putPath(m: Value, keys: readonly Value[], v: Value): Value {
	const [first, ...rest] = keys;
	if (!isContext(m) || typeof first !== 'string' || keys.length > 100) return null;
	const inner = rest.length ? putPath(m.get(first) ?? null, rest, v) : v;
	return rest.length && inner === null ? null : new Map([...m, [first, inner]]);
}
def(
	'context merge(contexts: list): any',
	'The contexts put into one; later entries win.',
	'get value(context merge([{a: 1}, {a: 2}]), "a") = 2',
	([l]) => (isList(l) && l.every(isContext) ? new Map(l.flatMap((m) => [...m])) : null)
);

// ---- dates --------------------------------------------------------------------------------------

const dateOf = (v: Value) => (v instanceof Moment ? v.date : v instanceof LocalDate ? v : null);
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const MONTHS = [
	'January',
	'February',
	'March',
	'April',
	'May',
	'June',
	'July',
	'August',
	'September',
	'October',
	'November',
	'December'
];
def(
	'day of week(date: any): text',
	'The English name of the day.',
	'day of week(date("2019-09-17")) = "Tuesday"',
	([v]) => {
		const d = dateOf(v);
		return d && DAYS[d.weekday - 1];
	}
);
def(
	'month of year(date: any): text',
	'The English name of the month.',
	'month of year(date("2019-09-17")) = "September"',
	([v]) => {
		const d = dateOf(v);
		return d && MONTHS[d.month - 1];
	}
);
def(
	'day of year(date: any): num',
	'The number of the day within its year.',
	'day of year(date("2019-09-17")) = 260',
	([v]) => {
		const d = dateOf(v);
		return d && int(d.epochDay - LocalDate.of(d.year, 1, 1)!.epochDay + 1);
	}
);
def(
	'week of year(date: any): num',
	'The ISO 8601 week.',
	'week of year(date("2005-01-01")) = 53',
	([v]) => {
		const d = dateOf(v);
		if (!d) return null;
		// the week belongs to the year of its Thursday
		const thursday = LocalDate.fromEpochDay(d.epochDay - d.weekday + 4)!;
		return int(
			Math.floor((thursday.epochDay - LocalDate.of(thursday.year, 1, 1)!.epochDay) / 7) + 1
		);
	}
);
def(
	'quarter(date: any): num',
	'The calendar quarter, 1 to 4.',
	'quarter(date("2026-11-23")) = 4',
	([v]) => {
		const d = dateOf(v);
		return d && int(Math.ceil(d.month / 3));
	},
	{ ours: true }
);

const PARTS: Record<string, (d: LocalDate, t: LocalTime) => string> = {
	yyyy: (d) => String(d.year).padStart(4, '0'),
	yy: (d) => String(d.year % 100).padStart(2, '0'),
	MMMM: (d) => MONTHS[d.month - 1],
	MMM: (d) => MONTHS[d.month - 1].slice(0, 3),
	MM: (d) => String(d.month).padStart(2, '0'),
	M: (d) => String(d.month),
	dd: (d) => String(d.day).padStart(2, '0'),
	d: (d) => String(d.day),
	HH: (_d, t) => String(t.hour).padStart(2, '0'),
	mm: (_d, t) => String(t.minute).padStart(2, '0'),
	ss: (_d, t) => String(t.second).padStart(2, '0')
};
def(
	'format date(date: any, pattern: text): text',
	'The date by a pattern of yyyy, yy, MMMM, MMM, MM, M, dd, d, HH, mm, ss; other letters stand in apostrophes.',
	'format date(date("2026-11-03"), "d MMM yyyy") = "3 Nov 2026"',
	([v, p]) => {
		const d = dateOf(v);
		const t = v instanceof Moment ? v.time : new LocalTime(0);
		let known = true;
		const text = (p as string).replace(
			/'([^']*)'|([A-Za-z])\2*/g,
			(m, quoted: string | undefined) => {
				if (quoted !== undefined) return quoted;
				const part = PARTS[m];
				known &&= part !== undefined;
				return d && part ? part(d, t) : '';
			}
		);
		return d && known ? text : null;
	},
	{ ours: true }
);
def(
	'format number(number: num, decimals: num, [grouping separator: text], [decimal separator: text]): text',
	'The number rounded half-even and written with its decimals and separators.',
	'format number(1234.5, 2, " ", ",") = "1 234,50"',
	([v, k, g, p]) => {
		const places = whole(k);
		if (!(v instanceof Num) || places === null || places < 0 || places > 30) return null;
		const rounded = n.roundTo(v, places);
		if (!rounded) return null;
		const [whole0, part = ''] = rounded.toString().split('.');
		if (/e/i.test(whole0)) return null;
		const sign = whole0.startsWith('-') ? '-' : '';
		const digits = whole0
			.replace('-', '')
			.replace(/\B(?=(\d{3})+(?!\d))/g, () => asText(g ?? null) ?? '');
		return sign + digits + (places ? (asText(p ?? null) ?? '.') + part.padEnd(places, '0') : '');
	},
	{ nulls: true, ours: true }
);

// ---- identifiers --------------------------------------------------------------------------------

const IDENTIFIERS: [name: string, help: string, example: string, test: (s: string) => boolean][] = [
	[
		'is iban',
		'Whether it is a bank account number (ISO 13616) with right check digits.',
		'is iban("GB82 WEST 1234 5698 7654 32") = true',
		isIban
	],
	[
		'is lei',
		'Whether it is a legal entity identifier (ISO 17442) with right check digits.',
		'is lei("529900QUILLMERE00020") = true',
		isLei
	],
	[
		'is gtin',
		'Whether it is an article number of GS1 (8, 12, 13 or 14 digits) with its right check digit.',
		'is gtin("6291041500213") = true',
		isGtin
	],
	[
		'is gln',
		'Whether it is a location number of GS1 (13 digits) with its right check digit.',
		'is gln("6291041500214") = false',
		isGln
	],
	[
		'passes luhn',
		'Whether the last digit is right by the Luhn formula.',
		'passes luhn("79927398713") = true',
		passesLuhn
	],
	[
		'is e164',
		'Whether it is a telephone number as ITU-T E.164 writes it.',
		'is e164("+31201234567") = true',
		isE164
	],
	['is email', 'Whether it is an e-mail address.', 'is email("a@b") = false', isEmail]
];
for (const [name, help, example, test] of IDENTIFIERS)
	def(`${name}(text: text): bool`, help, example, ([s]) => test(s as string), { ours: true });
def(
	'is vat number(text: text, [country: text]): bool',
	'Whether it is a VAT number with its country prefix and right check digits, of the country (ISO 3166 code) if one is given.',
	'is vat number("NL123456789B01") = false',
	([s, c]) => (typeof s === 'string' ? isVatNumber(s, asText(c ?? null) ?? undefined) : null),
	{ nulls: true, ours: true }
);
def(
	'is postal code(text: text, country: text): bool',
	'Whether it is a postal code as the country (ISO 3166 code) writes it; unknown for countries whose form is not known.',
	'is postal code("1012 AB", "NL") = true',
	([s, c]) => isPostalCode(s as string, c as string),
	{ ours: true }
);
def(
	'phone number(text: text, [country: text]): text',
	'The telephone number in E.164, read as one dials it in the country (ISO 3166 code); blank when it is none.',
	'phone number("020 123 4567", "NL") = "+31201234567"',
	([s, c]) => (typeof s === 'string' ? toE164(s, asText(c ?? null)) : null),
	{ nulls: true, ours: true }
);

// ---- ranges (DMN 1.5, table 77) -----------------------------------------------------------------

const point = (v: Value) => !(v instanceof Range) && v !== null;
function cmp(a: Value, b: Value, test: (o: number) => boolean): boolean | null {
	const o = order(a, b);
	return o === null ? null : test(o);
}
const and3 = (...xs: (boolean | null)[]) =>
	xs.includes(false) ? false : xs.includes(null) ? null : true;
const or3 = (...xs: (boolean | null)[]) =>
	xs.includes(true) ? true : xs.includes(null) ? null : false;
const lt = (a: Value, b: Value) => cmp(a, b, (o) => o < 0);
const eq = (a: Value, b: Value) => cmp(a, b, (o) => o === 0);
const inRange = (p: Value, r: Range) =>
	and3(
		r.lo === null ? true : cmp(p, r.lo, (o) => o > 0 || (o === 0 && r.loIn)),
		r.hi === null ? true : cmp(p, r.hi, (o) => o < 0 || (o === 0 && r.hiIn))
	);

function beforeAny(a: Value, b: Value): boolean | null {
	if (a instanceof Range && b instanceof Range)
		return or3(lt(a.hi, b.lo), and3(eq(a.hi, b.lo), !a.hiIn || !b.loIn));
	if (a instanceof Range) return or3(lt(a.hi, b), and3(eq(a.hi, b), !a.hiIn));
	if (b instanceof Range) return or3(lt(a, b.lo), and3(eq(a, b.lo), !b.loIn));
	return lt(a, b);
}
function includesAny(a: Value, b: Value): boolean | null {
	if (!(a instanceof Range)) return null;
	if (!(b instanceof Range)) return inRange(b, a);
	return and3(
		or3(lt(a.lo, b.lo), and3(eq(a.lo, b.lo), a.loIn || !b.loIn)),
		or3(lt(b.hi, a.hi), and3(eq(a.hi, b.hi), a.hiIn || !b.hiIn))
	);
}
function startsAny(a: Value, b: Value): boolean | null {
	if (!(b instanceof Range)) return null;
	if (!(a instanceof Range)) return and3(eq(a, b.lo), b.loIn);
	return and3(
		eq(a.lo, b.lo),
		a.loIn === b.loIn,
		or3(lt(a.hi, b.hi), and3(eq(a.hi, b.hi), !a.hiIn || b.hiIn))
	);
}
function finishesAny(a: Value, b: Value): boolean | null {
	if (!(b instanceof Range)) return null;
	if (!(a instanceof Range)) return and3(eq(a, b.hi), b.hiIn);
	return and3(
		eq(a.hi, b.hi),
		a.hiIn === b.hiIn,
		or3(lt(b.lo, a.lo), and3(eq(a.lo, b.lo), !a.loIn || b.loIn))
	);
}
const meetsAny = (a: Value, b: Value) =>
	a instanceof Range && b instanceof Range ? and3(eq(a.hi, b.lo), a.hiIn && b.loIn) : null;
const overlapsAny = (a: Value, b: Value) =>
	a instanceof Range && b instanceof Range
		? and3(not3(beforeAny(a, b)), not3(beforeAny(b, a)))
		: null;
const overlapsBefore = (a: Value, b: Value) =>
	a instanceof Range && b instanceof Range
		? and3(
				or3(lt(a.lo, b.lo), and3(eq(a.lo, b.lo), a.loIn && !b.loIn)),
				overlapsAny(a, b),
				or3(lt(a.hi, b.hi), and3(eq(a.hi, b.hi), !a.hiIn || b.hiIn))
			)
		: null;
const overlapsAfter = (a: Value, b: Value) =>
	a instanceof Range && b instanceof Range
		? and3(
				or3(lt(b.lo, a.lo), and3(eq(a.lo, b.lo), b.loIn && !a.loIn)),
				overlapsAny(a, b),
				or3(lt(b.hi, a.hi), and3(eq(a.hi, b.hi), !b.hiIn || a.hiIn))
			)
		: null;
const not3 = (x: boolean | null) => (x === null ? null : !x);

const RELATIONS: [string, string, (a: Value, b: Value) => boolean | null][] = [
	['before', 'before(1, [2..5]) = true', beforeAny],
	['after', 'after([5..9], 2) = true', (a, b) => beforeAny(b, a)],
	['meets', 'meets([1..5], [5..9]) = true', meetsAny],
	['met by', 'met by([5..9], [1..5]) = true', (a, b) => meetsAny(b, a)],
	['overlaps', 'overlaps([1..5], [3..8]) = true', overlapsAny],
	['overlaps before', 'overlaps before([1..5], [3..8]) = true', overlapsBefore],
	['overlaps after', 'overlaps after([3..8], [1..5]) = true', overlapsAfter],
	['finishes', 'finishes(5, [1..5]) = true', finishesAny],
	['finished by', 'finished by([1..5], 5) = true', (a, b) => finishesAny(b, a)],
	['includes', 'includes([1..9], 5) = true', includesAny],
	['during', 'during(5, [1..9]) = true', (a, b) => includesAny(b, a)],
	['starts', 'starts(1, [1..5]) = true', startsAny],
	['started by', 'started by([1..5], 1) = true', (a, b) => startsAny(b, a)],
	[
		'coincides',
		'coincides([1..5], [1..5]) = true',
		(a, b) =>
			point(a) && point(b)
				? eq(a, b)
				: a instanceof Range && b instanceof Range
					? and3(eq(a.lo, b.lo), eq(a.hi, b.hi), a.loIn === b.loIn, a.hiIn === b.hiIn)
					: null
	]
];
for (const [name, example, call] of RELATIONS)
	def(
		`${name}(a: any, b: any): bool`,
		'How two points or ranges lie to each other.',
		example,
		([a, b]) => call(a, b)
	);

/** Functions that the compiler knows itself, since they speak of fields and options, not of values. */
export const SPECIAL: { name: string; params: string[]; help: string; example: string }[] = [
	{
		name: 'changed',
		params: ['field'],
		help: 'Whether this change gives the field another value.',
		example: 'changed(stage)'
	},
	{
		name: 'moved',
		params: ['field', 'from', 'to'],
		help: 'Whether the field went from one value to another.',
		example: 'moved(stage, "Offer", "Won")'
	},
	{
		name: 'moved forward',
		params: ['choice'],
		help: 'Whether the choice went to an option further down its list.',
		example: 'moved forward(stage)'
	},
	{
		name: 'moved back',
		params: ['choice'],
		help: 'Whether the choice went to an option further up its list.',
		example: 'moved back(stage)'
	},
	{
		name: 'position',
		params: ['choice'],
		help: 'The place of the option in its list, from 1.',
		example: 'position(stage) > 3'
	},
	{ name: 'label', params: ['choice'], help: 'The label of the option.', example: 'label(kind)' },
	{
		name: 'code',
		params: ['choice'],
		help: 'The code by which other systems know the option, such as that of ISO 3166.',
		example: 'code(country)'
	}
];

/** All functions by name, each with the ways it can be called. */
export const FUNCTIONS: ReadonlyMap<string, FnDef[]> = (() => {
	const out = new Map<string, FnDef[]>();
	for (const d of defs) out.set(d.name, [...(out.get(d.name) ?? []), d]);
	return out;
})();

/** Every name that may stand before brackets. */
export const FUNCTION_NAMES: readonly string[] = [
	...FUNCTIONS.keys(),
	...SPECIAL.map((s) => s.name)
];
