/** Where the parts of the picture stand: fields and rules in layers from left to right. */
import type { FlowRule } from '$core';
import { refKey } from '$core';

export interface Box {
	/** `field type.field`, `rule id` or `message id`. */
	id: string;
	is: 'field' | 'rule' | 'message';
	/** Pixels of the upper left corner and of its size. */
	x: number;
	y: number;
	w: number;
	h: number;
}

export interface Arrow {
	from: string;
	to: string;
	is: 'reads' | 'reads early' | 'writes' | 'checks' | 'sends';
	/** Pixels on its way. */
	points: { x: number; y: number }[];
}

export interface Drawn {
	boxes: Box[];
	arrows: Arrow[];
	width: number;
	height: number;
}

export const fieldBox = (type: string, field: string) => `field ${refKey(type, field)}`;
const ruleBox = (id: string) => `rule ${id}`;

const SIZE = {
	field: { width: 144, height: 32 },
	rule: { width: 156, height: 36 },
	message: { width: 116, height: 28 }
} as const;

/** The arrows between fields and rules; a field that is read and written by one rule is at its end. */
export function arrowsOf(rules: readonly FlowRule[]): Omit<Arrow, 'points'>[] {
	return rules.flatMap((f) => {
		const rule = ruleBox(f.rule.id);
		const ends = new Set(f.writes.map((r) => refKey(r.type, r.field)));
		return [
			...f.reads
				.filter((r) => !ends.has(refKey(r.type, r.field)))
				.map((r) => ({
					from: fieldBox(r.type, r.field),
					to: rule,
					is: r.early ? ('reads early' as const) : ('reads' as const)
				})),
			...f.writes.map((r) => ({
				from: rule,
				to: fieldBox(r.type, r.field),
				is: f.does === 'judges' ? ('checks' as const) : ('writes' as const)
			})),
			...(f.does === 'sends'
				? [{ from: rule, to: `message ${f.rule.id}`, is: 'sends' as const }]
				: [])
		];
	});
}

/** Pixels between boxes of a layer. */
const GAP = 9;
const MARGIN = 8;
/** How often layers are brought into line with their neighbours. */
const SWEEPS = 16;

/**
 * Draws rules and the fields they join. Layers, and their order so that few lines cross, come from dagre,
 * which is loaded here; what it leaves between boxes for straight lines is taken out again, so that much
 * is seen at once.
 */
export async function draw(
	rules: readonly FlowRule[],
	alone: readonly string[] = []
): Promise<Drawn> {
	const { default: dagre } = await import('@dagrejs/dagre');
	const g = new dagre.graphlib.Graph({ multigraph: true });
	g.setGraph({ rankdir: 'LR', ranksep: 40, marginx: MARGIN });
	const arrows = arrowsOf(rules);
	const ids = new Set([...alone, ...arrows.flatMap((a) => [a.from, a.to])]);
	for (const id of ids) g.setNode(id, { ...SIZE[id.split(' ')[0] as Box['is']] });
	arrows.forEach((a, i) => g.setEdge(a.from, a.to, {}, String(i)));
	dagre.layout(g);
	const boxes = g.nodes().map((id): Box => {
		const n = g.node(id);
		const is = id.split(' ')[0] as Box['is'];
		return { id, is, x: n.x - n.width / 2, y: n.y - n.height / 2, w: n.width, h: n.height };
	});
	closeUp(boxes, arrows);
	const at = new Map(boxes.map((b) => [b.id, b]));
	const [right, below] = [boxes.map((b) => b.x + b.w), boxes.map((b) => b.y + b.h)];
	return {
		boxes,
		arrows: arrows.map((a) => ({ ...a, points: ends(at.get(a.from)!, at.get(a.to)!) })),
		width: Math.max(0, ...right) + MARGIN,
		height: Math.max(0, ...below) + MARGIN
	};
}

/** From the right side of one box to the left side of another. */
const ends = (from: Box, to: Box) => [
	{ x: from.x + from.w, y: from.y + from.h / 2 },
	{ x: to.x, y: to.y + to.h / 2 }
];

/** Brings the boxes of each layer together, in their order, as near as can be to what they are joined with. */
export function closeUp(boxes: readonly Box[], arrows: readonly Omit<Arrow, 'points'>[]): void {
	const layers = new Map<number, Box[]>();
	for (const b of boxes) {
		const x = Math.round((b.x + b.w / 2) / 20);
		layers.set(x, [...(layers.get(x) ?? []), b]);
	}
	const columns = [...layers].sort(([a], [b]) => a - b).map(([, c]) => c.sort((a, b) => a.y - b.y));
	for (const column of columns)
		place(
			column,
			column.map(() => 0)
		);
	const at = new Map(boxes.map((b) => [b.id, b]));
	const joined = new Map<string, Box[]>();
	for (const a of arrows)
		for (const [one, other] of [
			[a.from, a.to],
			[a.to, a.from]
		])
			joined.set(one, [...(joined.get(one) ?? []), at.get(other)!]);
	for (let n = 0; n < SWEEPS; n++)
		for (const column of n % 2 ? [...columns].reverse() : columns)
			place(
				column,
				column.map((b) => {
					const near = joined.get(b.id) ?? [b];
					return near.reduce((sum, x) => sum + x.y + x.h / 2, 0) / near.length;
				})
			);
	const top = Math.min(...boxes.map((b) => b.y));
	for (const b of boxes) b.y += MARGIN - top;
}

/** Places boxes one below the other, each as near to a wanted middle as the others let it (least squares). */
function place(column: readonly Box[], wanted: readonly number[]): void {
	// where the first box of a stretch would stand so that this one has its place
	let offset = 0;
	const stretches: { from: number; count: number; sum: number }[] = [];
	const offsets: number[] = [];
	column.forEach((b, i) => {
		offsets.push(offset);
		stretches.push({ from: i, count: 1, sum: wanted[i] - b.h / 2 - offset });
		offset += b.h + GAP;
		const mean = (k: number) => stretches[k].sum / stretches[k].count;
		while (stretches.length > 1 && mean(stretches.length - 2) > mean(stretches.length - 1)) {
			const last = stretches.pop()!;
			const into = stretches[stretches.length - 1];
			into.count += last.count;
			into.sum += last.sum;
		}
	});
	for (const { from, count, sum } of stretches)
		for (let i = from; i < from + count; i++) column[i].y = sum / count + offsets[i];
}

/** What stands before and behind a box, by arrows, however far. */
export function along(arrows: readonly Omit<Arrow, 'points'>[], id: string): Set<string> {
	const out = new Set([id]);
	for (const way of ['from', 'to'] as const) {
		const queue = [id];
		const seen = new Set(queue);
		for (let at = queue.pop(); at !== undefined; at = queue.pop())
			for (const a of arrows) {
				const [near, next] = way === 'from' ? [a.to, a.from] : [a.from, a.to];
				if (near !== at || seen.has(next)) continue;
				seen.add(next);
				out.add(next);
				queue.push(next);
			}
	}
	return out;
}

/** The box that an arrow key leads to: along an arrow sideways, to the next in the same layer up and down. */
export function step(drawn: Drawn, from: string, key: string): string | null {
	const here = drawn.boxes.find((b) => b.id === from);
	if (!here) return drawn.boxes[0]?.id ?? null;
	const middle = (b: Box) => b.y + b.h / 2;
	if (key === 'ArrowLeft' || key === 'ArrowRight') {
		const ids = new Set(
			drawn.arrows.flatMap((a) =>
				key === 'ArrowLeft' ? (a.to === from ? [a.from] : []) : a.from === from ? [a.to] : []
			)
		);
		const near = drawn.boxes
			.filter((b) => ids.has(b.id))
			.sort((a, b) => Math.abs(middle(a) - middle(here)) - Math.abs(middle(b) - middle(here)));
		return near[0]?.id ?? null;
	}
	const layer = drawn.boxes
		.filter((b) => Math.abs(b.x + b.w / 2 - here.x - here.w / 2) < 20)
		.sort((a, b) => a.y - b.y);
	return layer[layer.indexOf(here) + (key === 'ArrowUp' ? -1 : 1)]?.id ?? null;
}
