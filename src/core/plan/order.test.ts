import { Graph, alg } from '@dagrejs/graphlib';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { topologicalOrder } from './order';

const graphs = fc.integer({ min: 1, max: 14 }).chain((n) =>
	fc.record({
		keys: fc.constant(Array.from({ length: n }, (_, i) => `k${i}`)),
		edges: fc.array(fc.tuple(fc.nat(n - 1), fc.nat(n - 1)), { maxLength: n * 2 })
	})
);

// oracle: @dagrejs/graphlib
describe('order of fields', () => {
	it('exists exactly where a graph library finds no cycle, and puts sources first', () => {
		fc.assert(
			fc.property(graphs, ({ keys, edges }) => {
				const g = new Graph({ directed: true });
				keys.forEach((k) => g.setNode(k));
				const sources = new Map(keys.map((k) => [k, [] as string[]]));
				for (const [a, b] of edges) {
					g.setEdge(keys[a], keys[b]);
					sources.get(keys[b])!.push(keys[a]);
				}
				const { sorted, cycle } = topologicalOrder(keys, (k) => sources.get(k)!);
				const loops = edges.some(([a, b]) => a === b);
				expect(cycle === null).toBe(alg.isAcyclic(g) && !loops);
				if (cycle) {
					// the path told is a real one
					cycle.forEach((k, i) => expect(sources.get(cycle[(i + 1) % cycle.length])).toContain(k));
					return;
				}
				expect([...sorted].sort()).toEqual([...keys].sort());
				const at = new Map(sorted.map((k, i) => [k, i]));
				for (const [a, b] of edges) expect(at.get(keys[a])!).toBeLessThan(at.get(keys[b])!);
			})
		);
	});

	it('holds for long chains', () => {
		const keys = Array.from({ length: 50_000 }, (_, i) => `k${i}`);
		const { sorted } = topologicalOrder([...keys].reverse(), (k) =>
			k === 'k0' ? [] : [`k${Number(k.slice(1)) - 1}`]
		);
		expect(sorted).toEqual(keys);
	});
});
