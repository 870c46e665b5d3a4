/** Conversion between kinds of values (DMN 1.5, 10.3.4.1). */
import * as n from '../../value/num';
import { Num } from '../../value/num';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from '../../value/temporal';
import type { Value } from '../../value/value';
import { Range, order, show } from '../../value/value';
import type { FnEnv } from './spec';
import { LimitError } from '../budget';
import { chapter, asText, whole } from './spec';

/** Why a time cannot stand in a named zone. */
export const ZONED_TIME =
	'A time in a named zone has no offset without its day; write the offset, as in 10:00:00+01:00, or use date and time(…).';

const RANGE = /^\s*([\[(\]])\s*(.*?)\s*\.\.\s*(.*?)\s*([\])[])\s*$/s;
/** The ends of a range in text: numbers, texts in quotes, `@` literals, or nothing for an open end. */
function rangeOfText(text: string, env: FnEnv): Range | null {
	const m = text.length > 1000 ? null : RANGE.exec(text);
	if (!m) return null;
	const [lo, hi] = [endOfRange(m[2], env), endOfRange(m[3], env)];
	if (lo === undefined || hi === undefined || (lo === null && hi === null)) return null;
	if (lo !== null && hi !== null && (order(lo, hi) ?? 1) > 0) return null;
	return new Range(lo, m[1] === '[' && lo !== null, hi, m[4] === ']' && hi !== null);
}
function endOfRange(text: string, env: FnEnv): Value | undefined {
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
		Moment.parse(t, env.zones, env.zone) ??
		undefined
	);
}

export const CONVERSION_CHAPTER = chapter((def) => {
	def(
		'string(from: any): text',
		'The value as text; a choice gives its label.',
		'string(12.50) = "12.5"',
		([v]) => (v === null ? null : typeof v === 'string' ? v : show(v)),
		{ labels: true }
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
			if (typeof v === 'string') {
				if (/^\d\d:\d\d.*@/.test(v)) throw new LimitError(ZONED_TIME);
				return LocalTime.parse(v);
			}
			if (v instanceof Moment) return v.clock;
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
			return d
				? Moment.reading(d, new LocalTime(0), env.zone, env.zones)
				: Moment.parse(t, env.zones, env.zone);
		}
	);
	def(
		'date and time(date: any, time: time): moment',
		'A date and time from a date and a time; of a time without an offset, on the clock of the workspace.',
		'date and time(today, time("09:00:00"))',
		([d, t], env) => {
			const date = d instanceof Moment ? d.date : d;
			if (!(date instanceof LocalDate) || !(t instanceof LocalTime)) return null;
			return t.offset === null ? Moment.reading(date, t, env.zone, env.zones) : new Moment(date, t);
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
		([s], env) => rangeOfText(s as string, env)
	);
	def(
		'duration(from: text): any',
		'A duration from text: P1Y6M, P3D, PT12H.',
		'duration("P3D")',
		([s]) => {
			const t = asText(s);
			const read = t === null ? null : (YearMonth.parse(t) ?? DayTime.parse(t));
			if (
				!read &&
				t !== null &&
				/^-?P(?=[\dT])(\d+[YMD])*(T(\d+(\.\d+)?[HMS])+)?$/.test(t) &&
				/\d{10}/.test(t)
			)
				throw new LimitError('Each part of a duration has at most 9 digits.');
			return read;
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
});
