/** The picture of fields and rules: nothing lies on something else, and keys lead along the lines. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { FlowRule } from '$core';
import { along, arrowsOf, draw, step } from './layout';

const rule = (n: number, reads: number[], writes: number[], does: FlowRule['does'] = 'writes') =>
	({
		rule: { id: `r${n}` },
		does,
		reads: reads.map((f) => ({ type: 't', field: `f${f}`, early: false })),
		writes: writes.map((f) => ({ type: 't', field: `f${f}` })),
		idle: false
	}) as unknown as FlowRule;

/** As many rules as somebody has to read, some in a circle. */
const sets = fc.array(
	fc.tuple(
		fc.uniqueArray(fc.nat(59), { maxLength: 5 }),
		fc.uniqueArray(fc.nat(59), { maxLength: 2 })
	),
	{ maxLength: 80 }
);

describe('the picture', () => {
	it('lays no box on another, holds all of them, and joins them at their sides', async () => {
		await fc.assert(
			fc.asyncProperty(sets, async (made) => {
				const rules = made.map(([reads, writes], i) => rule(i, reads, writes));
				const { boxes, arrows, width, height } = await draw(rules);
				expect(arrows).toHaveLength(arrowsOf(rules).length);
				for (const b of boxes) {
					expect(Math.min(b.x, b.y)).toBeGreaterThanOrEqual(0);
					expect(b.x + b.w).toBeLessThanOrEqual(width);
					expect(b.y + b.h).toBeLessThanOrEqual(height);
				}
				boxes.forEach((a, i) =>
					boxes.slice(i + 1).forEach((b) => {
						const apart =
							a.x + a.w <= b.x || b.x + b.w <= a.x || a.y + a.h <= b.y || b.y + b.h <= a.y;
						expect(apart, `${a.id} lies on ${b.id}`).toBe(true);
					})
				);
				const at = new Map(boxes.map((b) => [b.id, b]));
				for (const a of arrows) {
					expect(a.points[0].x).toBe(at.get(a.from)!.x + at.get(a.from)!.w);
					expect(a.points[1].x).toBe(at.get(a.to)!.x);
				}
			}),
			{ numRuns: 20 }
		);
	});

	it('goes from left to right where nothing runs in a circle', async () => {
		const { arrows } = await draw([
			rule(1, [1, 2], [3]),
			rule(2, [3], [4, 5]),
			rule(3, [1, 5], [6])
		]);
		for (const a of arrows) expect(a.points[0].x).toBeLessThan(a.points[1].x);
	});

	it('shows a field that no rule touches, and a message at the end of its rule', async () => {
		expect((await draw([], ['field t.f1'])).boxes.map((b) => b.id)).toEqual(['field t.f1']);
		const { arrows } = await draw([rule(1, [1], [], 'sends')]);
		expect(arrows.map((a) => [a.from, a.to, a.is])).toEqual([
			['field t.f1', 'rule r1', 'reads'],
			['rule r1', 'message r1', 'sends']
		]);
	});

	it('draws a field that a rule reads and writes once, at its end', () => {
		expect(arrowsOf([rule(1, [1, 2], [2])]).map((a) => a.from)).toEqual(['field t.f1', 'rule r1']);
	});
});

describe('keys and light', () => {
	const rules = [rule(1, [1, 2], [3]), rule(2, [3], [4]), rule(3, [9], [8])];

	it('lights what leads to a box and what it leads to', () => {
		expect([...along(arrowsOf(rules), 'field t.f3')].sort()).toEqual([
			'field t.f1',
			'field t.f2',
			'field t.f3',
			'field t.f4',
			'rule r1',
			'rule r2'
		]);
	});

	it('lead along lines sideways, and within a layer up and down', async () => {
		const drawn = await draw(rules);
		expect(step(drawn, 'rule r1', 'ArrowRight')).toBe('field t.f3');
		expect(step(drawn, 'field t.f3', 'ArrowRight')).toBe('rule r2');
		expect(['field t.f1', 'field t.f2']).toContain(step(drawn, 'rule r1', 'ArrowLeft'));
		expect(step(drawn, 'field t.f4', 'ArrowRight')).toBeNull();
		const up = step(drawn, 'field t.f2', 'ArrowUp') ?? step(drawn, 'field t.f2', 'ArrowDown');
		expect(up).toMatch(/^field t\.f[19]$/);
	});
});
