/** Days and moments as they are typed, and one clock for all roads. Zone facts: IANA tz data, as the platform has it. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { planOf, rule, run, schema } from '../../../tests/world';
import { zones } from '../../runtime/zones';
import { LocalDate, LocalTime, Moment } from '../value/temporal';
import { fromText, toJson } from './codec';
import { readDay, readMoment, typedMoment } from './days';

const AMS = 'Europe/Amsterdam';
const ours = (m: Moment) => m.in(AMS, zones);
const instant = (text: string, zone = AMS) => readMoment(text)?.in(zone, zones).toInstantText();

describe('days and moments as typed', () => {
	it.each([
		['2026-11-24', '2026-11-24'],
		['24 Nov 2026', '2026-11-24'],
		['24 November 2026', '2026-11-24'],
		['3 sept. 2026', '2026-09-03'],
		['31 Feb 2026', undefined],
		['24 Novel 2026', undefined],
		['24 Xyz 2026', undefined],
		['24/11/2026', undefined]
	])('the day %s', (text, day) => expect(readDay(text)?.toString()).toBe(day));

	it.each([
		['2026-11-24 09:30', '2026-11-24T08:30:00.000Z'],
		['2026-11-24T09:30:15', '2026-11-24T08:30:15.000Z'],
		['24 Nov 2026, 09:30', '2026-11-24T08:30:00.000Z'],
		['2026-07-24 9:30', '2026-07-24T07:30:00.000Z'],
		['2026-11-24T22:30:00Z', '2026-11-24T22:30:00.000Z'],
		['2026-11-24T22:30+02:00', '2026-11-24T20:30:00.000Z'],
		// the clock goes from 02:00 to 03:00, and back from 03:00 to 02:00
		['2026-03-29 02:30', '2026-03-29T01:30:00.000Z'],
		['2026-10-25 02:30', '2026-10-25T00:30:00.000Z'],
		['2026-10-25 02:30+01:00', '2026-10-25T01:30:00.000Z'],
		['2026-11-24', undefined],
		['2026-11-24 25:00', undefined],
		['2026-11-24 09:30 oclock', undefined]
	])('the moment %s', (text, is) => expect(instant(text)).toBe(is));

	it('a zone that moves its clock by half an hour', () => {
		// Lord Howe Island, 2026-04-05: 02:00 becomes 01:30
		expect(instant('2026-04-05 01:45', 'Australia/Lord_Howe')).toBe('2026-04-04T14:45:00.000Z');
		expect(instant('2026-10-04 02:15', 'Australia/Lord_Howe')).toBe('2026-10-03T15:45:00.000Z');
	});

	it('is written so that it is read back as the same instant, in any zone, at any time', () => {
		fc.assert(
			fc.property(
				fc.date({ min: new Date('1980-01-01'), max: new Date('2080-01-01'), noInvalidDate: true }),
				fc.constantFrom(AMS, 'Australia/Lord_Howe', 'America/St_Johns', 'UTC', 'Asia/Kolkata'),
				(d, zone) => {
					const m = Moment.fromInstant(d.getTime(), zone, zones)!;
					const text = typedMoment(m, (x) => x.in(zone, zones));
					expect(readMoment(text)!.in(zone, zones).epochMs).toBe(d.getTime());
				}
			)
		);
		// the second of two readings that are the same needs its offset
		const late = Moment.fromInstant(Date.parse('2026-10-25T01:30:00Z'), AMS, zones)!;
		expect(typedMoment(late, ours)).toBe('2026-10-25 02:30+01:00');
	});

	it('a reading is an instant that the zone shows so, or the later one where it shows none', () => {
		fc.assert(
			fc.property(
				fc.integer({ min: 0, max: 365 * 24 * 4 - 1 }),
				fc.constantFrom(AMS, 'Australia/Lord_Howe', 'America/St_Johns'),
				(quarter, zone) => {
					const date = LocalDate.fromEpochDay(20_454 + Math.floor(quarter / 96))!;
					const time = new LocalTime((quarter % 96) * 900_000);
					const m = Moment.inZone(date, time, zone, zones)!;
					const again = Moment.fromInstant(m.epochMs, zone, zones)!;
					expect(again.toString()).toBe(m.toString());
					const shows = m.date.epochDay === date.epochDay && m.time.ms === time.ms;
					const earlier = Moment.fromInstant(m.epochMs - 1_800_000, zone, zones)!;
					// the earlier of two: half an hour before, the clock did not show the same
					if (shows) expect(earlier.time.ms === time.ms).toBe(false);
					else expect(m.time.ms).toBeGreaterThan(time.ms);
				}
			)
		);
	});
});

describe('a moment, whatever clock it came on', () => {
	const plan = planOf(
		rule('day', 'date(Moment)'),
		rule('a', 'Moment.hour'),
		rule('flag', 'Moment > date and time(date(2026, 11, 24), time("23:00:00"))'),
		rule('t', 'string(date and time("2026-11-24T09:30:00"))'),
		rule('b', '(date and time("2026-03-30T00:00:00") - date("2026-03-29")) / duration("PT1H")')
	);
	const one = (at: string) => run(plan, { at }, { was: null }).json;
	it('gives the same day and hour', () => {
		expect(plan.problems).toEqual([]);
		for (const at of [
			'2026-11-24T22:30:00Z',
			'2026-11-25T00:30:00+02:00',
			'2026-11-24T17:30:00-05:00',
			'2026-11-24 23:30'
		])
			expect(one(at)).toMatchObject({
				at: '2026-11-24T22:30:00.000Z',
				day: '2026-11-24',
				a: '23',
				flag: true,
				// a reading is shown as it was written
				t: '2026-11-24T09:30:00',
				// the day on which summer time begins has 23 hours
				b: '23'
			});
		expect(one('2026-11-24T21:30:00Z')).toMatchObject({ a: '22', flag: false });
	});
	it('is stored as the instant of the workspace’s clock when a rule gives a clock reading', () => {
		const at = planOf(rule('at', 'date and time(Day, time("09:00:00"))'));
		expect(run(at, { day: '2026-07-01' }).json.at).toBe('2026-07-01T07:00:00.000Z');
		expect(run(at, { day: '2026-12-01' }).json.at).toBe('2026-12-01T08:00:00.000Z');
	});
	it('settles to what is stored when nothing is sent', () => {
		const was = { at: '2026-11-25T00:30:00+02:00', day: '2026-11-24' };
		expect(run(planOf(rule('day', 'date(Moment)')), {}, { was, onRequest: true }).changes).toEqual(
			[]
		);
	});
	it('that no field can hold is refused where a rule gives it', () => {
		const far = planOf(rule('day', 'date(9999, 12, 31) + duration("P1D")'));
		const r = run(far, { a: '1' }, { was: null });
		expect(r.failures).toMatchObject([{ message: 'Day holds days of the years 1 to 9999.' }]);
		expect(fromText(schema.field('thing', 'day')!, '9999-12-31', schema)).toMatchObject({
			ok: true
		});
	});
	it('as JSON stays a reading until its zone is known', () => {
		expect(toJson(readMoment('2026-11-24 09:30')!)).toBe('2026-11-24T09:30:00');
	});
});
