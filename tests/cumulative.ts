/** Values one after the other, as a ruler has them. */
import { CumulativeCounts } from '../src/lib/kinds/bands/distribution';

/** @param size different values that a stretch takes together at most */
export function cumulativeOf(
	values: readonly number[],
	size = 1
): CumulativeCounts & { sizes: number[] } {
	const held = [...new Set(values)].sort((a, b) => a - b);
	const stretches: [number, number, number][] = [];
	for (let i = 0; i < held.length; i += size) {
		const own = held.slice(i, i + size);
		const n = values.filter((v) => own.includes(v)).length;
		stretches.push([own[0], own.at(-1)!, n]);
	}
	return Object.assign(new CumulativeCounts({ stretches, blank: 0 }), {
		sizes: stretches.map((s) => s[2])
	});
}
