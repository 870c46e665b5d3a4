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

/** A band in words: `below 10`, `10 to below 50`, `250 and more`. */
export function bandWords(
	limits: readonly { at: string; belongs: 'above' | 'below' }[],
	k: number
): string {
	const [lo, hi] = [limits[k - 1], limits[k]];
	const from = lo && (lo.belongs === 'above' ? lo.at : `over ${lo.at}`);
	const to = hi && (hi.belongs === 'above' ? `below ${hi.at}` : `up to ${hi.at}`);
	if (!lo) return to ?? 'any number';
	if (!hi) return lo.belongs === 'above' ? `${from} and more` : from;
	return hi.belongs === 'above' ? `${from} to ${to}` : `${from} ${to}`;
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
