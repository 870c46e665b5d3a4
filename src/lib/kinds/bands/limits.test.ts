import { describe, expect, it } from 'vitest';
import { limitsFrom } from './limits';
import { cumulativeOf } from '../../../../tests/cumulative';

describe('limits from the values that exist', () => {
	it('part them evenly at round numbers that rise', () => {
		const values = Array.from({ length: 100 }, (_, i) => i + 1);
		expect(limitsFrom(cumulativeOf(values), 3, false)).toEqual([25, 50, 75]);
		expect(limitsFrom(cumulativeOf(values.map((v) => v * 1000)), 1, false)).toEqual([50000]);
	});
	it('are fewer where values lie together, and none without values', () => {
		expect(limitsFrom(cumulativeOf([7, 7, 7, 7]), 3, false)).toEqual([7.5]);
		expect(limitsFrom(cumulativeOf([]), 3, false)).toEqual([]);
	});
	it('of days fall on the first of a month', () => {
		const day = (t: string) => Date.parse(t) / 864e5;
		expect(
			limitsFrom(cumulativeOf([day('2026-01-03'), day('2026-03-10'), day('2026-09-09')]), 1, true)
		).toEqual([day('2026-03-01')]);
	});
});
