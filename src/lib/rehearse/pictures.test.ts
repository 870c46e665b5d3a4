/** The pictures of a rehearsal: nothing is lost in them, and nothing lies on something else. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { keyOf, layFlow } from './flow';
import { WIDTH, spreadOf } from './spread';
import { dayIn } from '../../runtime/format';
import { LENGTHS, everyDay, faultOf, lengthOf, periodOf } from './period';

const value: fc.Arbitrary<string | null> = fc.option(fc.integer({ min: 0, max: 25 }).map(String));
const moves = fc
	.uniqueArray(fc.record({ from: value, to: value, count: fc.integer({ min: 1, max: 500 }) }), {
		selector: (m) => `${keyOf(m.from)} ${keyOf(m.to)}`,
		maxLength: 60
	})
	.filter((m) => m.length > 0);

describe('a flow', () => {
	it('has every record on both sides, and bands that fill their nodes', () => {
		fc.assert(
			fc.property(moves, (all) => {
				const { height, sides, bands } = layFlow(all);
				const total = all.reduce((n, m) => n + m.count, 0);
				expect(bands).toHaveLength(all.length);
				sides.forEach((nodes, side) => {
					expect(nodes.length).toBeLessThanOrEqual(11);
					expect(nodes.reduce((n, x) => n + x.count, 0)).toBe(total);
					const values = new Set(all.map((m) => keyOf(side ? m.to : m.from)));
					expect(nodes.reduce((n, x) => n + x.of, 0)).toBe(values.size);
					// one below the other, within the picture
					nodes.slice(1).forEach((n, i) => {
						expect(n.y).toBeGreaterThan(nodes[i].y + nodes[i].height);
					});
					const last = nodes.at(-1)!;
					expect(last.y + last.height).toBeLessThanOrEqual(height + 0.001);
					for (const n of nodes) {
						const own = bands
							.map((b) => b.ends[side])
							.filter((e) => e.y >= n.y - 0.001 && e.y < n.y + n.height - 0.0001);
						expect(own.reduce((h, e) => h + e.height, 0)).toBeCloseTo(n.height, 6);
					}
				});
			})
		);
	});
});

describe('two spreads', () => {
	const bins = fc.array(
		fc.tuple(fc.integer({ min: -2_000_000, max: 5_000_000 }), fc.integer({ min: 1, max: 90 })),
		{ maxLength: 60 }
	);
	it('have every number in the bar of its stretch, on one scale', () => {
		fc.assert(
			fc.property(bins, bins, (before, after) => {
				const side = (b: typeof before) => ({ sum: '0', blank: 0, bins: b });
				const s = spreadOf({ before: side(before), after: side(after), largest: [] });
				for (const [name, of] of [
					['before', before],
					['after', after]
				] as const) {
					const sum = of.reduce((n, [, x]) => n + x, 0);
					expect(s.bars.reduce((n, b) => n + b[name], 0)).toBe(sum);
					for (const [v] of of) {
						const at = s.bars.findIndex((b) => b.stretch.least <= v && v < b.stretch.most);
						// a number at an edge may lie on either side of it, by a rounding of the scale
						const near = s.bars.slice(Math.max(0, at - 1), at + 2);
						expect(near.some((b) => b[name] > 0)).toBe(true);
					}
				}
				// the stretches take every number once
				s.bars.slice(1).forEach((b, i) => expect(b.stretch.least).toBe(s.bars[i].stretch.most));
				for (const t of s.ticks) {
					expect(s.place(t)).toBeGreaterThanOrEqual(0);
					expect(s.place(t)).toBeLessThanOrEqual(WIDTH + 0.001);
				}
				expect([...s.ticks]).toEqual([...s.ticks].sort((a, b) => a - b));
			})
		);
	});
	it('are logarithmic where most numbers are small beside the largest', () => {
		const far = [1, 2, 3, 5, 8, 13, 100_000].map((v): [number, number] => [v, 1]);
		const near = [10, 20, 30, 40, 50].map((v): [number, number] => [v, 1]);
		const of = (b: [number, number][]) => ({ sum: '0', blank: 0, bins: b });
		const none = of([]);
		expect(spreadOf({ before: none, after: of(far), largest: [] }).logarithmic).toBe(true);
		expect(spreadOf({ before: of(near), after: none, largest: [] }).logarithmic).toBe(false);
	});
});

describe('a period', () => {
	it('is so many days that end with a day, across months and leap days', () => {
		expect(periodOf('2028-03-01', 7)).toEqual({ from: '2028-02-24', to: '2028-03-01' });
		expect(periodOf('2026-11-24', 30)).toEqual({ from: '2026-10-26', to: '2026-11-24' });
		for (const n of LENGTHS) expect(lengthOf(periodOf('2026-11-24', n))).toBe(n);
		expect(lengthOf({ from: '2026-11-01', to: '2026-11-24' })).toBeNull();
		expect(lengthOf({ from: 'soon', to: '2026-11-24' })).toBeNull();
	});

	it('that is none is told with what would be right', () => {
		expect(faultOf({ from: '2026-11-24', to: '2026-11-24' })).toBeNull();
		expect(faultOf({ from: '2026-02-30', to: '2026-11-24' })).toContain('2026-02-30');
		expect(faultOf({ from: '2026-11-01', to: '' })).toContain('last day');
		expect(faultOf({ from: '2026-11-25', to: '2026-11-24' })).toContain('before the first');
	});

	it('shows every day between, and the day that it is in the zone', () => {
		const part = { count: 1, of: 2 };
		expect(everyDay([])).toEqual([]);
		expect(
			everyDay([
				{ day: '2026-02-27', ...part },
				{ day: '2026-03-02', ...part }
			]).map((d) => [d.day, d.of])
		).toEqual([
			['2026-02-27', 2],
			['2026-02-28', 0],
			['2026-03-01', 0],
			['2026-03-02', 2]
		]);
		expect(dayIn('2026-11-23T23:30:00Z', 'Europe/Amsterdam')).toBe('2026-11-24');
		expect(dayIn('2026-11-23T23:30:00Z', 'UTC')).toBe('2026-11-23');
	});
});
