import { quantileSorted } from 'd3-array';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { bandOf, num } from '$core';
import { CumulativeCounts } from './distribution';
import { cumulativeOf } from '../../../../tests/cumulative';

const numbers = fc.array(fc.integer({ min: -20, max: 20 }), { maxLength: 60 });
const limits = fc.array(fc.record({ at: fc.integer({ min: -22, max: 22 }), above: fc.boolean() }), {
	maxLength: 5
});

describe('values that stand each for itself', () => {
	it('are counted in the bands that the core puts them in, also while limits do not rise', () => {
		fc.assert(
			fc.property(numbers, limits, (values, at) => {
				const plain = at.map((l) => ({ at: num(l.at), above: l.above }));
				const out = [...at, null].map(() => 0);
				for (const v of values) out[bandOf(num(v), plain)]++;
				const counts = cumulativeOf(values).counts(at);
				expect(counts.map((c) => c.n)).toEqual(out);
				expect(counts.every((c) => c.exact)).toBe(true);
			})
		);
	});
	it('have the quantiles of all of them one after the other', () => {
		fc.assert(
			fc.property(numbers, fc.integer({ min: 0, max: 1000 }), (values, k) => {
				const sorted = values.toSorted((a, b) => a - b);
				const got = cumulativeOf(values).quantile(k / 1000);
				if (values.length) expect(got).toBeCloseTo(quantileSorted(sorted, k / 1000)!, 9);
				else expect(got).toBeNull();
			})
		);
	});
});

describe('values that are counted by stretches', () => {
	it('are told apart from exact ones, off by no more than the stretch that a limit cuts', () => {
		fc.assert(
			fc.property(numbers, fc.integer({ min: 2, max: 7 }), limits, (values, size, at) => {
				const one = cumulativeOf(values);
				const many = cumulativeOf(values, size);
				const largest = Math.max(0, ...many.sizes);
				expect(many.total).toBe(one.total);
				expect([many.least, many.greatest]).toEqual([one.least, one.greatest]);
				for (const l of at) {
					const truth = one.below(l.at, !l.above).n;
					const about = many.below(l.at, !l.above);
					expect(Math.abs(about.n - truth)).toBeLessThan(Math.max(1, largest));
					if (about.exact) expect(about.n).toBe(truth);
				}
				const counts = many.counts(at);
				expect(counts.reduce((sum, c) => sum + c.n, 0)).toBe(one.total);
			})
		);
	});
	it('say so where a limit lies within one', () => {
		const cumulative = new CumulativeCounts({
			stretches: [
				[0, 10, 100],
				[11, 11, 5],
				[12, 20, 2]
			],
			blank: 0
		});
		expect(cumulative.below(5, false)).toEqual({ n: 50, exact: false });
		expect(cumulative.below(11, false)).toEqual({ n: 100, exact: true });
		expect(cumulative.below(11, true)).toEqual({ n: 105, exact: true });
		// of two records each has one end of theirs
		expect(cumulative.below(15, false)).toEqual({ n: 106, exact: true });
		expect(cumulative.below(20, false)).toEqual({ n: 106, exact: true });
		expect(cumulative.below(20, true)).toEqual({ n: 107, exact: true });
		expect(cumulative.quantile(1)).toBe(20);
	});
});
