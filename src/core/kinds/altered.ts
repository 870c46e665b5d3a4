/** Small mistakes that several kinds share. */
import type { Blank } from '../document/rules';
import type { JsonValue } from '../document/json';

/** Two neighbours in a list exchanged, each pair in turn. */
export function exchanged<T>(xs: readonly T[], same: (a: T, b: T) => boolean = alike): T[][] {
	return xs.slice(1).flatMap((x, i) => {
		if (same(xs[i], x)) return [];
		const out = [...xs];
		[out[i], out[i + 1]] = [x, xs[i]];
		return [out];
	});
}

/** Whether two documents are the same. */
export const alike = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** A list with each of its items left out in turn. */
export const leftOut = <T>(xs: readonly T[]): T[][] =>
	xs.length > 1 ? xs.map((_, i) => xs.filter((_x, k) => k !== i)) : [];

/** What a blank gives, decided otherwise: nothing where it gave something, and the first result where it gave nothing. */
export function blankOtherwise(blank: Blank, first: JsonValue[] | null | undefined): Blank[] {
	if (blank && 'give' in blank) return [{ none: true }];
	return first?.some((v) => v !== null) ? [{ give: first }] : [];
}
