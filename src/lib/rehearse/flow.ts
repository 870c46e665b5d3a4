/** The picture of records that move from one value to another: places of values on both sides, and bands between them. */
import type { JsonValue } from '$core';

export interface FlowMove {
	from: JsonValue;
	to: JsonValue;
	count: number;
}

/** A value on a side; null stands for all that are not told apart. */
export interface FlowNode {
	value: JsonValue;
	/** How many values it stands for. */
	of: number;
	count: number;
	y: number;
	height: number;
}

export interface Band {
	move: FlowMove;
	/** Where it begins and ends, from above, and how high it is there. */
	ends: [{ y: number; height: number }, { y: number; height: number }];
}

/** Values on a side that are told apart; of more, the rest is one. */
const MOST = 10;
const GAP = 6;
/** No node is lower than the words beside it. */
const LEAST = 16;
const TALL = [90, 280] as const;

export const keyOf = (v: JsonValue) => JSON.stringify(v);
const OTHERS = 'others';

/** Lays a flow out. */
export function layFlow(moves: readonly FlowMove[]): {
	height: number;
	sides: [FlowNode[], FlowNode[]];
	bands: Band[];
} {
	const total = moves.reduce((n, m) => n + m.count, 0);
	const counted = (['from', 'to'] as const).map((side) => {
		const counts = new Map<string, { value: JsonValue; of: number; count: number }>();
		for (const m of moves) {
			const had = counts.get(keyOf(m[side]));
			if (had) had.count += m.count;
			else counts.set(keyOf(m[side]), { value: m[side], of: 1, count: m.count });
		}
		const all = [...counts].sort((a, b) => b[1].count - a[1].count);
		if (all.length <= MOST + 1) return new Map(all);
		const rest = all.slice(MOST);
		const count = rest.reduce((n, [, x]) => n + x.count, 0);
		return new Map([...all.slice(0, MOST), [OTHERS, { value: null, of: rest.length, count }]]);
	});
	const most = Math.max(1, ...counted.map((c) => c.size));
	const height = Math.max(TALL[0], Math.min(TALL[1], most * 30));
	const placed = counted.map((nodes) => {
		const free = Math.max(0, height - GAP * (nodes.size - 1) - LEAST * nodes.size);
		let y = 0;
		return new Map(
			[...nodes].map(([k, n]): [string, FlowNode & { used: number }] => {
				const at = { ...n, y, height: LEAST + (free * n.count) / Math.max(1, total), used: 0 };
				y += at.height + GAP;
				return [k, at];
			})
		);
	});
	const end = (side: 0 | 1, v: JsonValue, count: number) => {
		const node = placed[side].get(keyOf(v)) ?? placed[side].get(OTHERS)!;
		const h = (node.height * count) / node.count;
		const y = node.y + node.used;
		node.used += h;
		return { y, height: h };
	};
	const bands = moves.map((move): Band => ({
		move,
		ends: [end(0, move.from, move.count), end(1, move.to, move.count)]
	}));
	const [from, to] = placed.map((side) => [...side.values()]);
	return { height, sides: [from, to], bands };
}
