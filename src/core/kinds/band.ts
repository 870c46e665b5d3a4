/** Which band a value falls in, and how a band is written. */
import type { Value } from '../value/value';
import { order } from '../value/value';

/** Index of the band a value falls in: band k lies between limit k-1 and limit k. */
export function bandOf(v: Value, limits: readonly { at: Value; above: boolean }[]): number {
	let k = 0;
	for (; k < limits.length; k++) {
		const o = order(v, limits[k].at);
		if (o === null) break;
		if (o < 0 || (o === 0 && !limits[k].above)) break;
	}
	return k;
}

/** A band as a FEEL range: `[10..50)`, `< 10`, `>= 250`. */
export function bandText(
	limits: readonly { at: string; belongs: 'above' | 'below' }[],
	k: number
): string {
	const lo = limits[k - 1];
	const hi = limits[k];
	if (!lo && !hi) return 'any number';
	if (!lo) return `${hi.belongs === 'above' ? '<' : '<='} ${hi.at}`;
	if (!hi) return `${lo.belongs === 'above' ? '>=' : '>'} ${lo.at}`;
	return `${lo.belongs === 'above' ? '[' : '('}${lo.at}..${hi.at}${hi.belongs === 'above' ? ')' : ']'}`;
}
