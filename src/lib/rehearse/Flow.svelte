<script lang="ts">
	/** Records that move from one value to another, as bands between what was and what would be. */
	import { area, curveBumpX } from 'd3-shape';
	import type { JsonValue } from '$core';
	import { formatCount } from '../words/format';

	interface FlowMove {
		from: JsonValue;
		to: JsonValue;
		count: number;
	}
	let {
		moves,
		say,
		picked,
		onpick
	}: {
		moves: readonly FlowMove[];
		say: (v: JsonValue) => string;
		/** The move whose records are seen. */
		picked: Pick<FlowMove, 'from' | 'to'> | null;
		onpick: (m: FlowMove) => void;
	} = $props();

	/** Values on a side that are told apart; the others are one. */
	const MOST = 10;
	const W = 640;
	const SIDE = 170;
	const GAP = 6;
	const OTHERS = '\u0000others';
	const key = (v: JsonValue) => JSON.stringify(v);

	const sides = $derived(
		(['from', 'to'] as const).map((side) => {
			const counts = new Map<string, { value: JsonValue; count: number }>();
			for (const m of moves) {
				const k = key(m[side]);
				const had = counts.get(k);
				if (had) had.count += m.count;
				else counts.set(k, { value: m[side], count: m.count });
			}
			const all = [...counts].sort((a, b) => b[1].count - a[1].count);
			const rest = all.slice(MOST);
			const nodes = all.slice(0, rest.length > 1 ? MOST : MOST + 1).map(([k, n]) => ({
				key: k,
				label: say(n.value),
				count: n.count
			}));
			if (rest.length > 1)
				nodes.push({
					key: OTHERS,
					label: `${rest.length} other values`,
					count: rest.reduce((n, [, x]) => n + x.count, 0)
				});
			return nodes;
		})
	);
	const total = $derived(moves.reduce((n, m) => n + m.count, 0));
	const most = $derived(Math.max(...sides.map((s) => s.length)));
	const height = $derived(Math.max(90, Math.min(280, most * 30)));
	/** No band is thinner than a line that can be seen, nor a node than the words beside it. */
	const NODE = 16;
	const placed = $derived(
		sides.map((nodes) => {
			const free = height - GAP * (nodes.length - 1) - NODE * nodes.length;
			let y = 0;
			return new Map(
				nodes.map((n) => {
					const h = NODE + (Math.max(0, free) * n.count) / total;
					const at = { ...n, y, h, used: 0 };
					y += h + GAP;
					return [n.key, at];
				})
			);
		})
	);
	const shape = area<[number, number, number]>()
		.x((p) => p[0])
		.y0((p) => p[1])
		.y1((p) => p[2])
		.curve(curveBumpX);
	const bands = $derived.by(() => {
		const used = placed.map(() => new Map<string, number>());
		return moves.map((m) => {
			const ends = (['from', 'to'] as const).map((side, i) => {
				const k = key(m[side]);
				const node = placed[i].get(k) ?? placed[i].get(OTHERS)!;
				const h = (node.h * m.count) / node.count;
				const y = node.y + (used[i].get(node.key) ?? 0);
				used[i].set(node.key, y - node.y + h);
				return { y, h };
			});
			const [a, b] = ends;
			return {
				m,
				d: shape([
					[SIDE, a.y, a.y + a.h],
					[W - SIDE, b.y, b.y + b.h]
				])!,
				on: picked !== null && key(picked.from) === key(m.from) && key(picked.to) === key(m.to)
			};
		});
	});
	const cut = (text: string) => (text.length > 22 ? `${text.slice(0, 21)}…` : text);
</script>

<svg
	viewBox="0 0 {W} {height + 2}"
	class="block w-full max-w-[640px]"
	role="img"
	aria-label="Records by what they were and what they would be; the same is listed beside it"
>
	{#each bands as b (key(b.m.from) + key(b.m.to))}
		<!-- the list of moves is the way by keys -->
		<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
		<path
			d={b.d}
			fill={b.on ? 'var(--color-brass)' : 'var(--color-band-3)'}
			fill-opacity={picked && !b.on ? 0.35 : 0.8}
			stroke="var(--color-sheet)"
			class="cursor-pointer"
			onclick={() => onpick(b.m)}
			><title>{say(b.m.from)} → {say(b.m.to)}: {formatCount(b.m.count)}</title></path
		>
	{/each}
	{#each placed as nodes, i (i)}
		{#each [...nodes.values()] as n (n.key)}
			<rect
				x={i ? W - SIDE : SIDE - 4}
				y={n.y}
				width="4"
				height={n.h}
				fill={i ? 'var(--color-brass-ink)' : 'var(--color-quiet)'}
			/>
			<text
				x={i ? W - SIDE + 10 : SIDE - 10}
				y={n.y + n.h / 2 + 4}
				text-anchor={i ? 'start' : 'end'}
				font-size="12"
				font-weight={i ? 600 : 400}
				fill={i ? 'var(--color-brass-ink)' : 'var(--color-ink)'}
				>{cut(n.label)}<tspan dx="6" fill="var(--color-quiet)" font-weight="400"
					>{formatCount(n.count)}</tspan
				></text
			>
		{/each}
	{/each}
</svg>
