/** Parts of dates, times, durations and ranges that are read behind a dot. */
import * as n from '../value/num';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from '../value/temporal';
import type { Value } from '../value/value';
import { Range, isContext } from '../value/value';
import type { Ty } from './types';
import * as T from './types';

const numberParts = (names: string): [string, Ty][] => names.split(' ').map((p) => [p, T.NUMBER]);

const ZONE_PARTS: [string, Ty][] = [
	['time offset', T.DAYTIME],
	['timezone', T.TEXT]
];

export const PART_TYPES: ReadonlyMap<string, ReadonlyMap<string, Ty>> = new Map([
	['date', new Map(numberParts('year month day weekday'))],
	['time', new Map([...numberParts('hour minute second'), ...ZONE_PARTS])],
	['moment', new Map([...numberParts('year month day weekday hour minute second'), ...ZONE_PARTS])],
	['daytime', new Map(numberParts('days hours minutes seconds value'))],
	['yearmonth', new Map(numberParts('years months value'))],
	[
		'range',
		new Map([
			['start', T.ANY],
			['end', T.ANY],
			['start included', T.BOOLEAN],
			['end included', T.BOOLEAN]
		])
	]
]);

export function partOf(v: Value, name: string): Value {
	if (isContext(v)) return v.get(name) ?? null;
	const date = v instanceof Moment ? v.date : v instanceof LocalDate ? v : null;
	const time = v instanceof Moment ? v.time : v instanceof LocalTime ? v : null;
	if (date && (name === 'year' || name === 'month' || name === 'day' || name === 'weekday'))
		return n.num(date[name]);
	if (time) {
		if (name === 'hour' || name === 'minute' || name === 'second') return n.num(time[name]);
		const bare = v instanceof Moment && v.bare;
		if (name === 'time offset')
			return time.offset === null || bare ? null : new DayTime(time.offset * 1000);
		if (name === 'timezone') return v instanceof Moment && !bare ? v.zone : null;
	}
	if (v instanceof DayTime) {
		const abs = Math.abs(v.ms);
		const sign = v.ms < 0 ? -1 : 1;
		if (name === 'days') return n.num(sign * Math.floor(abs / 86_400_000));
		if (name === 'hours') return n.num(sign * (Math.floor(abs / 3_600_000) % 24));
		if (name === 'minutes') return n.num(sign * (Math.floor(abs / 60_000) % 60));
		if (name === 'seconds') return n.num(sign * (Math.floor(abs / 1000) % 60));
		return name === 'value' ? n.div(n.num(v.ms), n.num(1000)) : null;
	}
	if (v instanceof YearMonth) {
		if (name === 'years') return n.num(Math.trunc(v.months / 12));
		if (name === 'months') return n.num(v.months % 12);
		return name === 'value' ? n.num(v.months) : null;
	}
	if (v instanceof Range) {
		if (name === 'start') return v.lo;
		if (name === 'end') return v.hi;
		if (name === 'start included') return v.loIn;
		return name === 'end included' ? v.hiIn : null;
	}
	return null;
}
