<script lang="ts">
	/** Records that move from one value to another, as bands between what was and what would be. */
	import { area, curveBumpX } from 'd3-shape';
	import type { JsonValue } from '$core';
	import { formatCount } from '../words/format';
	import { keyOf, layFlow, type FlowMove, type FlowNode } from './flow';

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

	const W = 640;
	/** Room for the words on a side. */
	const SIDE = 170;
	const laid = $derived(layFlow(moves));
	const shape = area<[number, number, number]>()
		.x((p) => p[0])
		.y0((p) => p[1])
		.y1((p) => p[2])
		.curve(curveBumpX);
	const bands = $derived(
		laid.bands.map(({ move: m, ends: [a, b] }) => ({
			m,
			d: shape([
				[SIDE, a.y, a.y + a.height],
				[W - SIDE, b.y, b.y + b.height]
			])!,
			on:
				picked !== null && keyOf(picked.from) === keyOf(m.from) && keyOf(picked.to) === keyOf(m.to)
		}))
	);
	const label = (n: FlowNode) => (n.of > 1 ? `${n.of} other values` : say(n.value));
	const cut = (text: string) => (text.length > 22 ? `${text.slice(0, 21)}…` : text);
</script>

<svg
	viewBox="0 0 {W} {laid.height + 2}"
	class="block w-full max-w-[640px]"
	role="img"
	aria-label="Records by what they were and what they would be; the same is listed beside it"
>
	{#each bands as b (keyOf(b.m.from) + keyOf(b.m.to))}
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
	{#each laid.sides as nodes, i (i)}
		{#each nodes as n, k (k)}
			<rect
				x={i ? W - SIDE : SIDE - 4}
				y={n.y}
				width="4"
				height={n.height}
				fill={i ? 'var(--color-brass-ink)' : 'var(--color-quiet)'}
			/>
			<text
				x={i ? W - SIDE + 10 : SIDE - 10}
				y={n.y + n.height / 2 + 4}
				text-anchor={i ? 'start' : 'end'}
				font-size="12"
				font-weight={i ? 600 : 400}
				fill={i ? 'var(--color-brass-ink)' : 'var(--color-ink)'}
				>{cut(label(n))}<tspan dx="6" fill="var(--color-quiet)" font-weight="400"
					>{formatCount(n.count)}</tspan
				></text
			>
		{/each}
	{/each}
</svg>
