/** The history of a record as spans of time in which each field held a value, and where they stand in a picture. */
import type { JsonValue } from '$core';

/** A change as the picture needs it. */
export interface ChangeThen {
	change: string;
	/** ISO 8601. */
	at: string;
	lines: readonly {
		field: string;
		was: JsonValue | Record<string, JsonValue>;
		now: JsonValue;
		claim: string | null;
		outcome: string;
	}[];
}

/** A stretch of time in which a field held a value. */
export interface Span {
	/** Places of the changes that it lies between: -1 before the first, the number of changes for now. */
	from: number;
	to: number;
	value: JsonValue;
	/** A rule set it, a person or program did, or it is not known who, as it was before what is told here. */
	by: 'rule' | 'sent' | 'before';
}

export interface Lane {
	field: string;
	spans: Span[];
}

/**
 * The fields that changed, each with the values that it held.
 * @param changes oldest first
 * @param order fields in the order in which they are shown; others come after them
 */
export function lanesOf(changes: readonly ChangeThen[], order: readonly string[]): Lane[] {
	const lanes = new Map<string, Span[]>();
	changes.forEach((c, at) => {
		for (const l of c.lines) {
			if (l.outcome !== 'set') continue;
			const spans = lanes.get(l.field) ?? [];
			const last = spans.at(-1);
			// the value that it had stands for the time before, as far as that is told
			if (!last) spans.push({ from: -1, to: at, value: l.was as JsonValue, by: 'before' });
			else last.to = at;
			spans.push({
				from: at,
				to: changes.length,
				value: l.now,
				by: l.claim ? 'rule' : 'sent'
			});
			lanes.set(l.field, spans);
		}
	});
	const place = new Map(order.map((f, i) => [f, i]));
	return [...lanes]
		.map(([field, spans]) => ({ field, spans }))
		.sort((a, b) => (place.get(a.field) ?? 1e9) - (place.get(b.field) ?? 1e9));
}

/** Least pixels between two changes. */
const LEAST = 14;

/**
 * Where changes stand from left to right, and now: further apart the more time lay between, but not in proportion, so
 * that what came within a minute can be told apart beside what lay half a year apart.
 * @param times milliseconds, oldest first; the last is now
 * @param width pixels from the first to now; more are taken where that is too narrow
 */
export function places(times: readonly number[], width: number): number[] {
	const gaps = times.slice(1).map((t, i) => 1 + Math.log2(1 + Math.max(0, t - times[i]) / 60_000));
	const sum = gaps.reduce((a, b) => a + b, 0);
	const free = Math.max(0, width - LEAST * gaps.length);
	const out = [0];
	for (const g of gaps) out.push(out.at(-1)! + LEAST + (sum ? (free * g) / sum : 0));
	return times.length ? out : [];
}
