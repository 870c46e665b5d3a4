<script lang="ts">
	/** How many changes were made on each day, and how many of them would have come out otherwise. */
	import { max } from 'd3-array';
	import { scaleBand, scaleLinear } from 'd3-scale';
	import type { Retold } from '$core';
	import { formatCount, formatDate } from '../words/format';
	import { everyDay } from './period';

	let { days }: { days: Retold['days'] } = $props();

	const W = 640;
	const H = 40;
	const all = $derived(everyDay(days));
	const across = $derived(
		scaleBand(
			all.map((d) => d.day),
			[0, W]
		).paddingInner(0.2)
	);
	const tall = $derived(scaleLinear([0, max(all, (d) => d.of) ?? 1], [0, H]));
	const total = $derived(days.reduce((n, d) => n + d.of, 0));
	const otherwise = $derived(days.reduce((n, d) => n + d.count, 0));
</script>

{#if all.length > 1}
	<svg
		viewBox="0 0 {W} {H + 18}"
		class="mb-3 block w-full max-w-[640px]"
		role="img"
		aria-label="{formatCount(otherwise)} of {formatCount(
			total
		)} changes would have come out otherwise, from {formatDate(all[0].day)} to {formatDate(
			all[all.length - 1].day
		)}"
	>
		{#each all as d (d.day)}
			<g
				><title
					>{formatDate(d.day)}: {formatCount(d.count)} of {formatCount(d.of)} changes otherwise</title
				>
				<rect
					x={across(d.day)}
					y={H - tall(d.of)}
					width={across.bandwidth()}
					height={tall(d.of)}
					fill="var(--color-line)"
				/>
				<rect
					x={across(d.day)}
					y={H - tall(d.count)}
					width={across.bandwidth()}
					height={tall(d.count)}
					fill="var(--color-brass)"
				/></g
			>
		{/each}
		<line x1="0" x2={W} y1={H + 0.5} y2={H + 0.5} stroke="var(--color-quiet)" stroke-width="1" />
		<text x="0" y={H + 14} font-size="11" fill="var(--color-quiet)">{formatDate(all[0].day)}</text>
		<text x={W} y={H + 14} font-size="11" text-anchor="end" fill="var(--color-quiet)"
			>{formatDate(all[all.length - 1].day)}</text
		>
	</svg>
{/if}
