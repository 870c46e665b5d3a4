<script lang="ts">
	/** The numbers of a field before and after, as two spreads back to back, with what they come to. */
	import type { RehearsedField } from '$core';
	import { formatCount, formatNumber } from '../words/format';
	import { WIDTH as W, spreadOf, type Stretch } from './spread';

	let {
		shift,
		count,
		things,
		added,
		say,
		picked,
		onpick
	}: {
		shift: NonNullable<RehearsedField['shift']>;
		count: number;
		/** What is counted: records, or changes. */
		things: string;
		/** The numbers may be added up: they are of one currency. */
		added: boolean;
		/** A number of the field as people read it. */
		say: (text: string) => string;
		picked: Stretch | null;
		onpick: (stretch: Stretch) => void;
	} = $props();

	const H = 64;
	const spread = $derived(spreadOf(shift));
	const place = $derived(spread.place);
	const most = $derived(Math.max(1, ...spread.bars.flatMap((b) => [b.before, b.after])));
	const tall = (n: number) => (n ? Math.max(2, (n / most) * H) : 0);
	const left = (i: number) => (i * W) / spread.bars.length + 1;
	const wide = $derived(W / spread.bars.length - 2);
	const near = (v: number) => formatNumber(String(Number(v.toPrecision(3))));
	const isPicked = (b: Stretch) => picked !== null && picked.least === b.least;
	const difference = $derived(Number(shift.after.sum) - Number(shift.before.sum));
</script>

<svg
	viewBox="0 0 {W} {2 * H + 34}"
	class="block w-full max-w-[640px]"
	role="group"
	aria-label="How many {things} have which number: above as they would be, below as they are"
>
	{#each spread.bars as { from, to, after: n, stretch }, i (i)}
		{#if n}<rect
				x={left(i)}
				y={H - tall(n)}
				width={wide}
				height={tall(n)}
				fill={isPicked(stretch) ? 'var(--color-brass)' : 'var(--color-band-3)'}
				class="cursor-pointer"
				role="button"
				tabindex="0"
				aria-pressed={isPicked(stretch)}
				aria-label="{formatCount(n)} {things} would have {near(from)} to {near(to)}"
				onclick={() => onpick(stretch)}
				onkeydown={(e) => {
					if (e.key !== 'Enter' && e.key !== ' ') return;
					e.preventDefault();
					onpick(stretch);
				}}><title>{formatCount(n)} would have {near(from)} to {near(to)}</title></rect
			>{/if}
	{/each}
	<line x1="0" x2={W} y1={H + 0.5} y2={H + 0.5} stroke="var(--color-field-line)" />
	{#each spread.ticks as t (t)}
		<line x1={place(t)} x2={place(t)} y1={H + 1} y2={H + 6} stroke="var(--color-field-line)" />
		<text
			x={Math.min(W - 2, Math.max(2, place(t)))}
			y={H + 17}
			font-size="11"
			text-anchor={place(t) < 12 ? 'start' : place(t) > W - 30 ? 'end' : 'middle'}
			fill="var(--color-quiet)">{near(t)}</text
		>
	{/each}
	{#each spread.bars as { from, to, before: n }, i (i)}
		{#if n}<rect x={left(i)} y={H + 22} width={wide} height={tall(n)} fill="var(--color-line)"
				><title>{formatCount(n)} have {near(from)} to {near(to)}</title></rect
			>{/if}
	{/each}
	<text x={W} y="10" font-size="11" text-anchor="end" fill="var(--color-brass-ink)">would be</text>
	<text x={W} y={2 * H + 30} font-size="11" text-anchor="end" fill="var(--color-quiet)"
		>is now{spread.logarithmic ? ' (logarithmic scale)' : ''}</text
	>
</svg>
<p class="mt-1 text-sm">
	{#if added}Together <span class="mono">{say(shift.before.sum)}</span> →
		<span class="mono font-semibold text-brass-ink">{say(shift.after.sum)}</span>
	{/if}
	<span class="text-quiet"
		>{#if added}({difference >= 0 ? '+' : '−'}{near(Math.abs(difference))}) in{:else}In{/if}
		{formatCount(count)}
		{count === 1 ? things.slice(0, -1) : things}{shift.before.blank || shift.after.blank
			? `; blank in ${formatCount(shift.before.blank)} before, ${formatCount(shift.after.blank)} after`
			: ''}. Drawn from numbers rounded to two digits{added
			? '; the sums are exact'
			: '; amounts of several currencies are not added up'}.</span
	>
</p>
