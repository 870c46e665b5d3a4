<script lang="ts">
	/** What there was on each day, one upon the other, with a legend whose words are filters. */
	import { max, sum } from 'd3-array';
	import { scaleBand, scaleLinear } from 'd3-scale';
	import { stack } from 'd3-shape';
	import { JOURNAL_WHAT, type JournalWhat } from '$door/journal';
	import type { JournalDay } from '$server/db/journal-lines';
	import { daysFrom } from '../rehearse/period';
	import { formatCount, formatDate } from '../words/format';
	import { FILL, WHAT_LABEL } from './words';

	let {
		days,
		first,
		last,
		picked,
		href
	}: {
		days: readonly JournalDay[];
		first: string;
		last: string;
		picked: JournalWhat | null;
		/** The address of what comes under a word; of all for null. */
		href: (what: JournalWhat | null) => string;
	} = $props();

	const W = 900;
	const H = 72;
	const NONE = Object.fromEntries(JOURNAL_WHAT.map((w) => [w, 0])) as Record<JournalWhat, number>;
	const all = $derived.by(() => {
		const known = new Map(days.map((d) => [d.day, d]));
		return daysFrom(first, last).map((day): JournalDay => known.get(day) ?? { day, ...NONE });
	});
	const kinds = $derived(JOURNAL_WHAT.filter((w) => days.some((d) => d[w])));
	const shown = $derived(picked ? kinds.filter((k) => k === picked) : kinds);
	const total = (d: JournalDay) => sum(shown, (w) => d[w]);
	const across = $derived(
		scaleBand(
			all.map((d) => d.day),
			[0, W]
		).paddingInner(0.2)
	);
	const tall = $derived(scaleLinear([0, max(all, total) || 1], [0, H]));
	const layers = $derived(
		stack<JournalDay, JournalWhat>()
			.keys(shown)
			.value((d, k) => d[k])(all)
	);
	const count = (w: JournalWhat) => formatCount(sum(days, (d) => d[w]));
	const told = (d: JournalDay) =>
		`${formatDate(d.day)}: ${
			shown
				.filter((w) => d[w])
				.map((w) => `${WHAT_LABEL[w]} ${formatCount(d[w])}`)
				.join(', ') || 'nothing'
		}`;
</script>

<svg width="0" height="0" class="absolute" aria-hidden="true"
	><defs
		><pattern id="refused" width="4" height="4" patternUnits="userSpaceOnUse"
			><rect width="4" height="4" fill="var(--color-sheet)" /><path
				d="M-1 1l2 -2M0 4l4 -4M3 5l2 -2"
				stroke="var(--color-brick)"
				stroke-width="1.5"
			/></pattern
		></defs
	></svg
>
<div class="flex flex-wrap items-baseline gap-x-4 gap-y-1 text-sm" role="group" aria-label="What">
	{#each kinds as k (k)}
		<a
			class="textlink inline-flex min-h-6 items-center gap-1"
			class:font-semibold={picked === k}
			aria-current={picked === k ? 'true' : undefined}
			data-sveltekit-noscroll
			href={href(picked === k ? null : k)}
			><svg width="12" height="12" aria-hidden="true"
				><rect width="12" height="12" fill={FILL[k]} stroke="var(--color-quiet)" /></svg
			>{WHAT_LABEL[k]} <span class="mono">{count(k)}</span></a
		>
	{:else}<span class="text-quiet">Nothing from {formatDate(first)} to {formatDate(last)}.</span>
	{/each}
	{#if picked}<a class="textlink" data-sveltekit-noscroll href={href(null)}>all</a>{/if}
</div>
{#if kinds.length}
	<svg
		viewBox="0 0 {W} {H + 18}"
		class="mt-1 mb-2 block w-full max-w-[900px]"
		role="img"
		aria-label="{shown
			.map((k) => `${WHAT_LABEL[k]} ${count(k)}`)
			.join(', ')}, by the day from {formatDate(first)} to {formatDate(last)}"
	>
		{#each layers as layer (layer.key)}
			{#each layer as part, i (all[i].day)}
				{#if part[1] > part[0]}<rect
						x={across(all[i].day)}
						y={H - tall(part[1])}
						width={across.bandwidth()}
						height={Math.max(0.5, tall(part[1]) - tall(part[0]))}
						fill={FILL[layer.key]}
						stroke="var(--color-paper)"
						stroke-width="0.5"
					/>{/if}
			{/each}
		{/each}
		{#each all as d (d.day)}
			<rect x={across(d.day)} y="0" width={across.bandwidth()} height={H} fill="transparent"
				><title>{told(d)}</title></rect
			>
		{/each}
		<line x1="0" x2={W} y1={H + 0.5} y2={H + 0.5} stroke="var(--color-quiet)" />
		<text x="0" y={H + 14} font-size="11" fill="var(--color-quiet)">{formatDate(first)}</text>
		<text x={W} y={H + 14} font-size="11" text-anchor="end" fill="var(--color-quiet)"
			>{formatDate(last)}</text
		>
	</svg>
{/if}
