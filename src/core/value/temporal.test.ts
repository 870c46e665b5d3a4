import { getISOWeek } from 'date-fns';
import { Temporal } from '@js-temporal/polyfill';
import fc from 'fast-check';
import type { Env } from '../feel/env';
import { compileExpression } from '../feel/compile';
import { parseExpression } from '../feel/parse';
import { Schema } from '../document/model';
import { describe, expect, it } from 'vitest';
import { zones } from '../../runtime/zones';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from './temporal';

const dates = fc.record({
	y: fc.integer({ min: -3000, max: 6000 }),
	m: fc.integer({ min: 1, max: 12 }),
	d: fc.integer({ min: 1, max: 31 })
});

// oracle: @js-temporal/polyfill 0.5
describe('dates against Temporal', () => {
	it('know the same days, weekdays and day numbers', () => {
		fc.assert(
			fc.property(dates, ({ y, m, d }) => {
				let t: Temporal.PlainDate | null = null;
				try {
					t = Temporal.PlainDate.from({ year: y, month: m, day: d }, { overflow: 'reject' });
				} catch {
					// no such day
				}
				const mine = LocalDate.of(y, m, d);
				expect(mine === null).toBe(t === null);
				if (!mine || !t) return;
				expect(mine.weekday).toBe(t.dayOfWeek);
				expect(mine.epochDay).toBe(Temporal.PlainDate.from('1970-01-01').until(t).days);
				expect(String(LocalDate.fromEpochDay(mine.epochDay))).toBe(String(mine));
			})
		);
	});

	it('add months alike', () => {
		fc.assert(
			fc.property(dates, fc.integer({ min: -500, max: 500 }), ({ y, m, d }, n) => {
				const mine = LocalDate.of(y, m, d);
				if (!mine) return;
				const t = Temporal.PlainDate.from({ year: y, month: m, day: d }).add({ months: n });
				const got = mine.plusMonths(n)!;
				expect([got.year, got.month, got.day]).toEqual([t.year, t.month, t.day]);
			})
		);
	});

	it('show an instant as the zone does, over summer time too', () => {
		fc.assert(
			fc.property(
				fc.integer({ min: 0, max: 4e9 }),
				fc.constantFrom('Europe/Amsterdam', 'America/New_York', 'Asia/Kolkata', 'UTC'),
				(s, zone) => {
					const t = Temporal.Instant.fromEpochMilliseconds(s * 1000).toZonedDateTimeISO(zone);
					const m = Moment.fromInstant(s * 1000, zone, zones)!;
					expect(`${m.date}T${new LocalTime(m.time.ms)}`).toBe(
						t.toPlainDateTime().toString({ smallestUnit: 'second' })
					);
					expect(m.epochMs).toBe(s * 1000);
				}
			),
			{ numRuns: 200 }
		);
	});

	it('read a clock in a zone as Temporal does outside the doubled hour', () => {
		for (const local of [
			'2026-03-29T01:59:00',
			'2026-03-29T03:00:00',
			'2026-10-25T01:00:00',
			'2026-10-25T04:00:00',
			'2026-07-01T12:00:00'
		]) {
			const [d, t] = local.split('T');
			const mine = Moment.inZone(
				LocalDate.parse(d)!,
				LocalTime.parse(t)!,
				'Europe/Amsterdam',
				zones
			)!;
			expect(mine.epochMs).toBe(
				Temporal.PlainDateTime.from(local).toZonedDateTime('Europe/Amsterdam').epochMilliseconds
			);
		}
	});
});

describe('texts of dates and durations', () => {
	it('are refused when there is no such thing', () => {
		for (const t of [
			'2026-02-29',
			'2026-13-01',
			'26-01-01',
			'2026-1-1',
			'2026-01-01T10:00:00',
			'today'
		])
			expect(LocalDate.parse(t)).toBeNull();
		for (const t of ['24:00:00', '12:60:00', '9:00:00', '12:00'])
			expect(LocalTime.parse(t)).toBeNull();
		for (const t of ['P', 'PT', 'P1DT', '1D', 'P1Y1D'])
			expect(DayTime.parse(t) ?? YearMonth.parse(t)).toBeNull();
	});
	it('come back as they were', () => {
		for (const t of ['P1DT2H3M4S', '-P3D', 'PT0S', 'PT36H'])
			expect(DayTime.parse(String(DayTime.parse(t)))!.ms).toBe(DayTime.parse(t)!.ms);
		for (const t of ['P1Y6M', '-P2Y', 'P0M', 'P14M'])
			expect(YearMonth.parse(String(YearMonth.parse(t)))!.months).toBe(YearMonth.parse(t)!.months);
	});
});

describe('weeks by ISO 8601', () => {
	const week = (iso: string) => {
		const schema = new Schema({ types: [], lists: [], zone: 'UTC' });
		const text = `week of year(date("${iso}"))`;
		const c = compileExpression(parseExpression(text, { schema, type: null }), {
			schema,
			type: null
		});
		return String(c.run({ vars: [], steps: 100 } as unknown as Env));
	};
	// ISO 8601's own examples: 2005-01-02 is 2004-W53-7, 2007-12-31 is 2008-W01-1
	it.each([
		['2005-01-01', '53'],
		['2005-01-02', '53'],
		['2007-12-31', '1'],
		['2008-01-01', '1'],
		['2026-12-31', '53']
	])('%s lies in week %s', (iso, w) => {
		expect(week(iso)).toBe(w);
	});
	it('agree with a reference library (date-fns) on any day', () => {
		fc.assert(
			fc.property(fc.integer({ min: -30_000, max: 60_000 }), (day) => {
				const iso = LocalDate.fromEpochDay(day)!.toString();
				expect([iso, week(iso)]).toEqual([iso, String(getISOWeek(new Date(`${iso}T00:00:00`)))]);
			}),
			{ numRuns: 1000 }
		);
	});
});
