/** Limits for new bands, from the values that exist. */
import type { CumulativeCounts } from './distribution';

/** The nearest number that people would take for a limit: 1, 2 or 5, or half of ten of their tens. */
function round(x: number): number {
	if (x === 0) return 0;
	const size = 10 ** Math.floor(Math.log10(Math.abs(x)));
	const steps = [1, 1.5, 2, 2.5, 3, 4, 5, 6, 7.5, 8, 10].map((s) => s * size * Math.sign(x));
	const best = steps.reduce((a, b) => (Math.abs(b - x) < Math.abs(a - x) ? b : a));
	return Number(best.toPrecision(3));
}

/**
 * So many limits that part the values into stretches of about as many records each, at round numbers
 * that rise; fewer where the values leave room for fewer. Days since 1970 fall on the first of a month.
 */
export function limitsFrom(values: CumulativeCounts, count: number, dates: boolean): number[] {
	const { least } = values;
	if (least === null) return [];
	const out: number[] = [];
	for (let k = 1; k <= count; k++) {
		const at = values.quantile(k / (count + 1))!;
		const limit = dates ? firstOfMonth(at) : round(at);
		if (out.every((x) => x < limit) && limit > least) out.push(limit);
	}
	return out;
}

function firstOfMonth(day: number): number {
	const d = new Date(day * 864e5);
	return Date.UTC(d.getUTCFullYear(), d.getUTCMonth() + (d.getUTCDate() > 15 ? 1 : 0), 1) / 864e5;
}
