<script lang="ts">
	/** The numbers of a field before and after, as two spreads back to back, with what they come to. */
	import { scaleLinear, scaleSymlog } from 'd3-scale';
	import type { RehearsedField, Bins } from '$core';
	import { formatCount, formatNumber } from '../words/format';

	let {
		shift,
		count,
		added,
		say,
		picked,
		onpick
	}: {
		shift: NonNullable<RehearsedField['shift']>;
		count: number;
		/** The numbers may be added up: they are of one currency. */
		added: boolean;
		/** A number of the field as people read it. */
		say: (text: string) => string;
		picked: { least: number; most: number } | null;
		onpick: (range: { least: number; most: number }) => void;
	} = $props();

	const W = 640;
	const H = 64;
	const BARS = 28;
	const all = $derived([...shift.before.bins, ...shift.after.bins].map(([v]) => v));
	const low = $derived(Math.min(0, ...all));
	const high = $derived(Math.max(1, ...all));
	/** Numbers far apart want a scale on which the small ones can still be told apart. */
	const logarithmic = $derived.by(() => {
		const sorted = all.filter((v) => v > 0).sort((a, b) => a - b);
		return low >= 0 && sorted.length > 3 && high / sorted[Math.floor(sorted.length / 2)] > 20;
	});
	const scale = $derived(
		logarithmic
			? scaleSymlog()
					.constant(Math.max(1, high / 1000))
					.domain([low, high])
					.range([0, W])
			: scaleLinear().domain([low, high]).range([0, W])
	);
	/** Few different numbers are shown each as it is; many in stretches of equal width. */
	const edges = $derived.by(() =>
		Array.from({ length: BARS + 1 }, (_, i) => Number(scale.invert((i * W) / BARS)))
	);
	const bars = (bins: Bins) => {
		const out = new Array<number>(BARS).fill(0);
		for (const [v, n] of bins) {
			const at = Math.min(BARS - 1, Math.max(0, Math.floor((scale(v) / W) * BARS)));
			out[at] += n;
		}
		return out;
	};
	const before = $derived(bars(shift.before.bins));
	const after = $derived(bars(shift.after.bins));
	const most = $derived(Math.max(1, ...before, ...after));
	const tall = (n: number) => (n ? Math.max(2, (n / most) * H) : 0);
	const ticks = $derived(
		(logarithmic
			? [low, ...[1, 10, 100, 1e3, 1e4, 1e5, 1e6, 1e7].filter((t) => t >= high / 2000), high]
			: scale.ticks(6)
		).filter((t, i, xs) => t >= low && t <= high && (!i || scale(t) - scale(xs[i - 1]) > 50))
	);
	const near = (v: number) => formatNumber(String(Number(v.toPrecision(3))));
	const range = (i: number) => ({
		least: i ? edges[i] : -1e300,
		most: i === BARS - 1 ? 1e300 : edges[i + 1]
	});
	const isPicked = (i: number) => picked !== null && picked.least === range(i).least;
	const difference = $derived(Number(shift.after.sum) - Number(shift.before.sum));
</script>

<svg
	viewBox="0 0 {W} {2 * H + 34}"
	class="block w-full max-w-[640px]"
	role="group"
	aria-label="How many records have which number: above as they would be, below as they are"
>
	{#each after as n, i (i)}
		{#if n}<rect
				x={(i * W) / BARS + 1}
				y={H - tall(n)}
				width={W / BARS - 2}
				height={tall(n)}
				fill={isPicked(i) ? 'var(--color-brass)' : 'var(--color-band-3)'}
				class="cursor-pointer"
				role="button"
				tabindex="0"
				aria-pressed={isPicked(i)}
				aria-label="{formatCount(n)} records would have {near(edges[i])} to {near(edges[i + 1])}"
				onclick={() => onpick(range(i))}
				onkeydown={(e) => {
					if (e.key !== 'Enter' && e.key !== ' ') return;
					e.preventDefault();
					onpick(range(i));
				}}><title>{formatCount(n)} would have {near(edges[i])} to {near(edges[i + 1])}</title></rect
			>{/if}
	{/each}
	<line x1="0" x2={W} y1={H + 0.5} y2={H + 0.5} stroke="var(--color-field-line)" />
	{#each ticks as t (t)}
		<line x1={scale(t)} x2={scale(t)} y1={H + 1} y2={H + 6} stroke="var(--color-field-line)" />
		<text
			x={Math.min(W - 2, Math.max(2, scale(t)))}
			y={H + 17}
			font-size="11"
			text-anchor={scale(t) < 12 ? 'start' : scale(t) > W - 30 ? 'end' : 'middle'}
			fill="var(--color-quiet)">{near(t)}</text
		>
	{/each}
	{#each before as n, i (i)}
		{#if n}<rect
				x={(i * W) / BARS + 1}
				y={H + 22}
				width={W / BARS - 2}
				height={tall(n)}
				fill="var(--color-line)"
				><title>{formatCount(n)} have {near(edges[i])} to {near(edges[i + 1])}</title></rect
			>{/if}
	{/each}
	<text x={W} y="10" font-size="11" text-anchor="end" fill="var(--color-brass-ink)">would be</text>
	<text x={W} y={2 * H + 30} font-size="11" text-anchor="end" fill="var(--color-quiet)"
		>is now{logarithmic ? ' (logarithmic scale)' : ''}</text
	>
</svg>
<p class="mt-1 text-sm">
	{#if added}Together <span class="mono">{say(shift.before.sum)}</span> →
		<span class="mono font-semibold text-brass-ink">{say(shift.after.sum)}</span>
	{/if}
	<span class="text-quiet"
		>{#if added}({difference >= 0 ? '+' : '−'}{near(Math.abs(difference))}) in{:else}In{/if}
		{formatCount(count)}
		{count === 1 ? 'record' : 'records'}{shift.before.blank || shift.after.blank
			? `; blank in ${formatCount(shift.before.blank)} before, ${formatCount(shift.after.blank)} after`
			: ''}. Drawn from numbers rounded to two digits{added
			? '; the sums are exact'
			: '; amounts of several currencies are not added up'}.</span
	>
</p>
