/**
 * Days and moments as people type them: `2026-11-24`, `24 Nov 2026`, and either with a time of day
 * behind it. A moment without an offset is a reading of the workspace's clock.
 */
import { LocalDate, LocalTime, Moment } from '../value/temporal';

const MONTHS = 'jan feb mar apr may jun jul aug sep oct nov dec'.split(' ');

/** Years that a field can hold; a database and every calendar know them. */
export const FIRST_YEAR = 1;
export const LAST_YEAR = 9999;

/** Whether a field can hold a day. */
export const isHeld = (d: LocalDate) => d.year >= FIRST_YEAR && d.year <= LAST_YEAR;

/** Reads `2026-11-24` or `24 Nov 2026`. */
export function readDay(text: string): LocalDate | null {
	const iso = LocalDate.parse(text);
	if (iso) return iso;
	const m = /^(\d{1,2})\.? ([A-Za-z]{3,9})\.?,? (\d{4})$/.exec(text.replace(/\s+/gu, ' '));
	const month = m ? MONTHS.findIndex((x) => isMonth(m[2], x)) : -1;
	return month < 0 ? null : LocalDate.of(Number(m![3]), month + 1, Number(m![1]));
}

const LONG =
	'january february march april may june july august september october november december'.split(
		' '
	);
/** Three letters or more of a month's English name; `Sept` as well. */
function isMonth(word: string, short: string): boolean {
	const w = word.toLowerCase();
	return w.startsWith(short) && LONG[MONTHS.indexOf(short)].startsWith(w);
}

/**
 * Reads a moment: a day, a time of day (`09:30`, with seconds if need be) and an offset (`Z`,
 * `+01:00`) or none. Without an offset it is a reading that belongs to no zone yet.
 */
export function readMoment(text: string): Moment | null {
	const m = /^(.+?)(?:T|,? |, )(\d{1,2}:\d\d)(:\d\d(?:\.\d{1,9})?)? ?(Z|z|[+-]\d\d:\d\d)?$/.exec(
		text.trim().replace(/\s+/gu, ' ')
	);
	if (!m) return null;
	const date = readDay(m[1]);
	const time = LocalTime.parse(`${m[2].padStart(5, '0')}${m[3] ?? ':00'}${m[4] ?? ''}`);
	return date && time && new Moment(date, time);
}

/**
 * A moment as it is typed, on the clock that it shows: read again in that zone it is the same
 * instant. Its offset is written only where `plain` would be another instant.
 * @param plain reads a clock reading without an offset
 */
export function typedMoment(m: Moment, plain: (reading: Moment) => Moment): string {
	const sub = m.time.ms % 1000 ? `.${String(m.time.ms % 1000).padStart(3, '0')}` : '';
	const two = (n: number) => String(n).padStart(2, '0');
	const seconds = m.time.second || sub ? `:${two(m.time.second)}${sub}` : '';
	const text = `${m.date} ${two(m.time.hour)}:${two(m.time.minute)}${seconds}`;
	const again = readMoment(text);
	if (again && plain(again).epochMs === m.epochMs) return text;
	const offset = /(Z|[+-][\d:]+)$/.exec(m.time.toString());
	return offset ? `${text}${offset[1]}` : text;
}
