<script lang="ts">
	/** How often the two releases decided differently, day by day; a day leads to what was different on it. */
	import { max, rollup, sum } from 'd3-array';
	import { scaleBand, scaleLinear } from 'd3-scale';
	import { daysFrom } from '../rehearse/period';
	import { formatCount, formatDate } from '../words/format';

	let {
		days,
		first,
		last,
		picked,
		href
	}: {
		days: readonly { day: string; n: number }[];
		first: string;
		last: string;
		picked: string | null;
		/** The address of one day; of all for null. */
		href: (day: string | null) => string;
	} = $props();

	const W = 900;
	const H = 64;
	const all = $derived.by(() => {
		const known = rollup(
			days,
			(d) => sum(d, (x) => x.n),
			(d) => d.day
		);
		return daysFrom(first, last).map((day) => ({ day, n: known.get(day) ?? 0 }));
	});
	const across = $derived(
		scaleBand(
			all.map((d) => d.day),
			[0, Math.min(W, all.length * 60)]
		).paddingInner(0.2)
	);
	const tall = $derived(scaleLinear([0, max(all, (d) => d.n) || 1], [0, H]));
</script>

<svg
	viewBox="0 0 {W} {H + 30}"
	class="mt-1 block w-full max-w-[900px]"
	role="group"
	aria-label="Decided differently, by the day"
>
	{#each all as d (d.day)}
		{#if d.n}<a
				href={href(picked === d.day ? null : d.day)}
				data-sveltekit-noscroll
				aria-current={picked === d.day ? 'true' : undefined}
				aria-label="{formatDate(d.day)}: {formatCount(d.n)}"
			>
				<rect
					x={across(d.day)}
					y={H + 12 - tall(d.n)}
					width={across.bandwidth()}
					height={tall(d.n)}
					fill={!picked || picked === d.day ? 'var(--color-band-4)' : 'var(--color-band-1)'}
				/>
				{#if across.bandwidth() > 20}<text
						x={across(d.day)! + across.bandwidth() / 2}
						y={H + 9 - tall(d.n)}
						font-size="11"
						text-anchor="middle"
						fill="var(--color-ink)">{formatCount(d.n)}</text
					>{/if}
			</a>{/if}
	{/each}
	<line x1="0" x2={W} y1={H + 12.5} y2={H + 12.5} stroke="var(--color-quiet)" />
	<text x="0" y={H + 26} font-size="11" fill="var(--color-quiet)">{formatDate(first)}</text>
	{#if all.length > 3}<text
			x={W}
			y={H + 26}
			font-size="11"
			text-anchor="end"
			fill="var(--color-quiet)">{formatDate(last)}</text
		>{/if}
</svg>
