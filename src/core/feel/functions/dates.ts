/** Functions on dates, times and durations (DMN 1.5, 10.3.4.7 and 10.3.4.8). */
import * as n from '../../value/num';
import { Num } from '../../value/num';
import { LocalDate, LocalTime, Moment } from '../../value/temporal';
import type { Value } from '../../value/value';
import { chapter, asText, whole, int } from './spec';

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
const DATE_PARTS: Record<string, (d: LocalDate, t: LocalTime) => string> = {
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

export const DATES_CHAPTER = chapter((def) => {
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

	def(
		'format date(date: any, pattern: text): text',
		'The date by a pattern of yyyy, yy, MMMM, MMM, MM, M, dd, d, HH, mm, ss; other letters stand in apostrophes.',
		'format date(date("2026-11-03"), "d MMM yyyy") = "3 Nov 2026"',
		([v, p]) => {
			const d = dateOf(v);
			const t = v instanceof Moment ? v.clock : new LocalTime(0);
			let known = true;
			const text = (p as string).replace(
				/'([^']*)'|([A-Za-z])\2*/g,
				(m, quoted: string | undefined) => {
					if (quoted !== undefined) return quoted;
					const part = Object.hasOwn(DATE_PARTS, m) ? DATE_PARTS[m] : undefined;
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
			if ([g, p].some((x) => typeof x === 'string' && x.length > 10)) return null;
			const sign = whole0.startsWith('-') ? '-' : '';
			const digits = whole0
				.replace('-', '')
				.replace(/\B(?=(\d{3})+(?!\d))/g, () => asText(g ?? null) ?? '');
			return sign + digits + (places ? (asText(p ?? null) ?? '.') + part.padEnd(places, '0') : '');
		},
		{ nulls: true, ours: true }
	);
});
