/**
 * Dates, times, moments and durations as FEEL has them, in the proleptic Gregorian calendar of
 * ISO 8601. Time zone rules are not known here: a {@link ZoneClock} is handed in, so that the
 * core reads no locale and no clock.
 */

/** Tells the offset from UTC that a zone had at an instant, and knows which zones there are. */
export interface ZoneClock {
	/** Seconds east of UTC in the zone at the instant (milliseconds since 1970 UTC); null when the zone is unknown. */
	offsetAt(zone: string, epochMs: number): number | null;
}

const DAY_MS = 86_400_000;

/** Days since 1970-01-01 of a calendar date (Howard Hinnant's days_from_civil). */
function daysFromCivil(y: number, m: number, d: number): number {
	const yy = m <= 2 ? y - 1 : y;
	const era = Math.floor(yy / 400);
	const yoe = yy - era * 400;
	const doy = Math.floor((153 * (m + (m > 2 ? -3 : 9)) + 2) / 5) + d - 1;
	const doe = yoe * 365 + Math.floor(yoe / 4) - Math.floor(yoe / 100) + doy;
	return era * 146_097 + doe - 719_468;
}

function civilFromDays(days: number): [number, number, number] {
	const z = days + 719_468;
	const era = Math.floor(z / 146_097);
	const doe = z - era * 146_097;
	const yoe = Math.floor(
		(doe - Math.floor(doe / 1460) + Math.floor(doe / 36_524) - Math.floor(doe / 146_096)) / 365
	);
	const doy = doe - (365 * yoe + Math.floor(yoe / 4) - Math.floor(yoe / 100));
	const mp = Math.floor((5 * doy + 2) / 153);
	const d = doy - Math.floor((153 * mp + 2) / 5) + 1;
	const m = mp < 10 ? mp + 3 : mp - 9;
	return [yoe + era * 400 + (m <= 2 ? 1 : 0), m, d];
}

/** Days in a month, 1 to 12. */
export function daysInMonth(y: number, m: number): number {
	return m === 2
		? (y % 4 === 0 && y % 100 !== 0) || y % 400 === 0
			? 29
			: 28
		: [4, 6, 9, 11].includes(m)
			? 30
			: 31;
}

const pad = (n: number, width = 2) => String(n).padStart(width, '0');
const MAX_YEAR = 999_999_999;

/** A calendar date without a zone. */
export class LocalDate {
	private constructor(
		/** Days since 1970-01-01. */
		readonly epochDay: number,
		readonly year: number,
		readonly month: number,
		readonly day: number
	) {}

	/** Null when there is no such date. */
	static of(y: number, m: number, d: number): LocalDate | null {
		if (!Number.isInteger(y) || Math.abs(y) > MAX_YEAR || m < 1 || m > 12) return null;
		if (!Number.isInteger(m) || !Number.isInteger(d) || d < 1 || d > daysInMonth(y, m)) return null;
		return new LocalDate(daysFromCivil(y, m, d), y, m, d);
	}

	/** Null beyond the years that FEEL can write. */
	static fromEpochDay(days: number): LocalDate | null {
		if (!Number.isSafeInteger(days) || Math.abs(days) > 365_242_500_000) return null;
		const [y, m, d] = civilFromDays(days);
		return Math.abs(y) > MAX_YEAR ? null : new LocalDate(days, y, m, d);
	}

	/** Reads `2026-11-23`; years of more than four digits carry no leading zero. */
	static parse(text: string): LocalDate | null {
		const m = /^(-?(?:[1-9]\d{4,8}|\d{4}))-(\d\d)-(\d\d)$/.exec(text);
		return m ? LocalDate.of(Number(m[1]), Number(m[2]), Number(m[3])) : null;
	}

	/** ISO weekday, Monday 1 to Sunday 7. */
	get weekday(): number {
		return ((((this.epochDay + 3) % 7) + 7) % 7) + 1;
	}

	/** Adds months, keeping the day where the month has it and else taking its last. */
	plusMonths(months: number): LocalDate | null {
		const index = this.year * 12 + this.month - 1 + months;
		const y = Math.floor(index / 12);
		const m = index - y * 12 + 1;
		return LocalDate.of(y, m, Math.min(this.day, daysInMonth(y, m)));
	}

	toString(): string {
		const sign = this.year < 0 ? '-' : '';
		return `${sign}${pad(Math.abs(this.year), 4)}-${pad(this.month)}-${pad(this.day)}`;
	}
	toJSON(): string {
		return this.toString();
	}
}

function offsetText(seconds: number): string {
	if (seconds === 0) return 'Z';
	const abs = Math.abs(seconds);
	const tail = abs % 60 ? `:${pad(abs % 60)}` : '';
	return `${seconds < 0 ? '-' : '+'}${pad(Math.floor(abs / 3600))}:${pad(Math.floor(abs / 60) % 60)}${tail}`;
}

function parseOffset(text: string): number | null {
	if (text === 'Z' || text === 'z') return 0;
	const m = /^([+-])(\d\d):(\d\d)(?::(\d\d))?$/.exec(text);
	if (!m) return null;
	const s = Number(m[2]) * 3600 + Number(m[3]) * 60 + Number(m[4] ?? 0);
	return s > 18 * 3600 || Number(m[3]) > 59 ? null : m[1] === '-' ? -s : s;
}

/** A time of day, to the millisecond, with an offset from UTC in seconds or none. */
export class LocalTime {
	constructor(
		/** Milliseconds since midnight. */
		readonly ms: number,
		readonly offset: number | null = null
	) {}

	static of(h: number, m: number, s: number, offset: number | null = null): LocalTime | null {
		if (![h, m].every(Number.isInteger) || h < 0 || h > 23 || m < 0 || m > 59) return null;
		if (!(s >= 0 && s < 60)) return null;
		return new LocalTime((h * 60 + m) * 60_000 + Math.floor(s * 1000 + 1e-6), offset);
	}

	static parse(text: string): LocalTime | null {
		const m = /^(\d\d):(\d\d):(\d\d(?:\.\d{1,9})?)(Z|z|[+-][\d:]+)?$/.exec(text);
		if (!m) return null;
		const offset = m[4] === undefined ? null : parseOffset(m[4]);
		if (m[4] !== undefined && offset === null) return null;
		return LocalTime.of(Number(m[1]), Number(m[2]), Number(m[3]), offset);
	}

	get hour(): number {
		return Math.floor(this.ms / 3_600_000);
	}
	get minute(): number {
		return Math.floor(this.ms / 60_000) % 60;
	}
	/** Whole seconds within the minute. */
	get second(): number {
		return Math.floor(this.ms / 1000) % 60;
	}

	toString(): string {
		const frac = this.ms % 1000 ? `.${pad(this.ms % 1000, 3).replace(/0+$/, '')}` : '';
		const off = this.offset === null ? '' : offsetText(this.offset);
		return `${pad(this.hour)}:${pad(this.minute)}:${pad(this.second)}${frac}${off}`;
	}
	toJSON(): string {
		return this.toString();
	}
}

/** A date and time: an instant when it has an offset, else only a reading of a clock. */
export class Moment {
	constructor(
		readonly date: LocalDate,
		readonly time: LocalTime,
		/** The zone it is read in, such as `Europe/Amsterdam`, where one was given. */
		readonly zone: string | null = null,
		/** Written as a clock reading without a zone, which means the zone's: it is shown as it was written. */
		readonly bare = false
	) {}

	/** The instant (milliseconds since 1970 UTC) as the clock of a zone shows it. */
	static fromInstant(epochMs: number, zone: string, clock: ZoneClock): Moment | null {
		const offset = clock.offsetAt(zone, epochMs);
		if (offset === null || !Number.isFinite(epochMs)) return null;
		const local = Math.floor(epochMs) + offset * 1000;
		const day = Math.floor(local / DAY_MS);
		const date = LocalDate.fromEpochDay(day);
		return date && new Moment(date, new LocalTime(local - day * DAY_MS, offset), zone);
	}

	/**
	 * Reads `2026-11-23T10:00:00`, with an offset or `@Zone/Name` behind it or neither.
	 * @param here the zone that a reading with neither means; without it, it stays a reading of no clock
	 */
	static parse(text: string, clock?: ZoneClock, here?: string): Moment | null {
		const t = text.indexOf('T');
		if (t < 0) return null;
		const date = LocalDate.parse(text.slice(0, t));
		const [body, zone] = text.slice(t + 1).split('@');
		const time = LocalTime.parse(body);
		if (!date || !time) return null;
		if (zone === undefined)
			return clock && here !== undefined && time.offset === null
				? Moment.reading(date, time, here, clock)
				: new Moment(date, time);
		if (!clock || time.offset !== null) return null;
		return Moment.inZone(date, time, zone, clock);
	}

	/**
	 * A clock reading in a zone: of two instants with one reading (at the end of summer time) the
	 * earlier; a reading that no clock shows (at its beginning) is the later one it is moved to.
	 */
	static inZone(d: LocalDate, t: LocalTime, zone: string, clock: ZoneClock): Moment | null {
		const local = d.epochDay * DAY_MS + t.ms;
		// no zone changes its offset twice within two days
		const before = clock.offsetAt(zone, local - DAY_MS);
		const after = clock.offsetAt(zone, local + DAY_MS);
		if (before === null || after === null) return null;
		for (const offset of [Math.max(before, after), Math.min(before, after)])
			if (clock.offsetAt(zone, local - offset * 1000) === offset)
				return new Moment(d, new LocalTime(t.ms, offset), zone);
		return Moment.fromInstant(local - before * 1000, zone, clock);
	}

	/** A clock reading without a zone, in the zone that it means; of no clock where the zone has none so far away. */
	static reading(d: LocalDate, t: LocalTime, zone: string, clock: ZoneClock): Moment {
		const m = Moment.inZone(d, t, zone, clock);
		return m ? new Moment(m.date, m.time, zone, true) : new Moment(d, t);
	}

	/** The same instant as the clock of a zone shows it; a reading of no clock is one of that zone's. */
	in(zone: string, clock: ZoneClock): Moment {
		if (this.zone === zone && !this.bare) return this;
		return (
			(this.time.offset === null
				? Moment.inZone(this.date, this.time, zone, clock)
				: Moment.fromInstant(this.epochMs, zone, clock)) ?? this
		);
	}

	/** The time of day, with its offset unless it was written without. */
	get clock(): LocalTime {
		return this.bare ? new LocalTime(this.time.ms) : this.time;
	}

	/** Milliseconds since 1970 UTC; a reading without an offset counts as UTC. */
	get epochMs(): number {
		return this.date.epochDay * DAY_MS + this.time.ms - (this.time.offset ?? 0) * 1000;
	}

	/** The instant as ISO 8601 in UTC, as it is stored. */
	toInstantText(): string {
		return new Date(this.epochMs).toISOString();
	}

	toString(): string {
		if (this.bare) return `${this.date}T${this.clock}`;
		if (this.zone) return `${this.date}T${new LocalTime(this.time.ms)}@${this.zone}`;
		return `${this.date}T${this.time}`;
	}
	toJSON(): string {
		return this.toString();
	}
}

/** A duration of days and time, in milliseconds. */
export class DayTime {
	constructor(readonly ms: number) {}

	static parse(text: string): DayTime | null {
		const m =
			/^(-)?P(?:(\d{1,9})D)?(?:T(?:(\d{1,9})H)?(?:(\d{1,9})M)?(?:(\d{1,9}(?:\.\d{1,9})?)S)?)?$/.exec(
				text
			);
		if (!m || /T$|P$/.test(text)) return null;
		const [d, h, min, s] = [m[2], m[3], m[4], m[5]].map((x) => Number(x ?? 0));
		const ms = d * DAY_MS + h * 3_600_000 + min * 60_000 + Math.floor(s * 1000 + 1e-6);
		return new DayTime(m[1] ? -ms : ms);
	}

	toString(): string {
		const abs = Math.abs(this.ms);
		const [d, h] = [Math.floor(abs / DAY_MS), Math.floor(abs / 3_600_000) % 24];
		const [m, s] = [Math.floor(abs / 60_000) % 60, (abs % 60_000) / 1000];
		const time = (h ? `${h}H` : '') + (m ? `${m}M` : '') + (s ? `${s}S` : '');
		const body = (d ? `${d}D` : '') + (time ? `T${time}` : '');
		return `${this.ms < 0 ? '-' : ''}P${body || 'T0S'}`;
	}
	toJSON(): string {
		return this.toString();
	}
}

/** A duration of years and months, in months. */
export class YearMonth {
	constructor(readonly months: number) {}

	static parse(text: string): YearMonth | null {
		const m = /^(-)?P(?:(\d{1,9})Y)?(?:(\d{1,9})M)?$/.exec(text);
		if (!m || (m[2] === undefined && m[3] === undefined)) return null;
		const months = Number(m[2] ?? 0) * 12 + Number(m[3] ?? 0);
		return new YearMonth(m[1] ? -months : months);
	}

	toString(): string {
		const abs = Math.abs(this.months);
		const [y, m] = [Math.floor(abs / 12), abs % 12];
		return `${this.months < 0 ? '-' : ''}P${y ? `${y}Y` : ''}${m || !y ? `${m}M` : ''}`;
	}
	toJSON(): string {
		return this.toString();
	}
}
