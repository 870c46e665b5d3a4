/** Periods of calendar days. */
import { LocalDate } from '$core';
import type { Period } from '$server/db/rehearsals';

/** Lengths in days that are offered. */
export const LENGTHS = [7, 30, 90] as const;

/** So many days that end with a day, both included. */
export const periodOf = (last: string, days: number): Period => ({
	from: LocalDate.fromEpochDay(LocalDate.parse(last)!.epochDay - days + 1)!.toString(),
	to: last
});

/** How long a period is, where it is one of the lengths that are offered; null for any other, and for what is none. */
export function lengthOf({ from, to }: Period): number | null {
	const [first, last] = [LocalDate.parse(from), LocalDate.parse(to)];
	const days = first && last ? last.epochDay - first.epochDay + 1 : null;
	return LENGTHS.find((n) => n === days) ?? null;
}

/** All days from the first to the last of some, those between with nothing. */
export function everyDay(
	days: readonly { day: string; count: number; of: number }[]
): { day: string; count: number; of: number }[] {
	if (!days.length) return [];
	const known = new Map(days.map((d) => [d.day, d]));
	return daysFrom(days[0].day, days[days.length - 1].day).map(
		(day) => known.get(day) ?? { day, count: 0, of: 0 }
	);
}

/** What is wrong with a period as it was typed; null when it is one. */
export function faultOf({ from, to }: Period): string | null {
	for (const [name, text] of [
		['first', from],
		['last', to]
	])
		if (!LocalDate.parse(text))
			return `The ${name} day is “${text}”, which is no day: write it as 2026-11-24.`;
	return LocalDate.parse(from)!.epochDay > LocalDate.parse(to)!.epochDay
		? 'The last day lies before the first.'
		: null;
}

/** Every day from one to another, both included; ISO 8601. */
export function daysFrom(first: string, last: string): string[] {
	const [from, to] = [first, last].map((d) => LocalDate.parse(d)!.epochDay);
	const n = Math.max(1, to - from + 1);
	return Array.from({ length: n }, (_, i) => LocalDate.fromEpochDay(from + i)!.toString());
}
