<script lang="ts">
	/** How many of some points are tried, as ticks: full ones for those that are. */
	let {
		tried,
		of,
		label,
		most = 40
	}: {
		tried: number;
		of: number;
		/** In words; empty where they stand beside it. */
		label: string;
		/** Past so many each tick stands for several. */
		most?: number;
	} = $props();
	const ticks = $derived(Math.min(of, most));
	const full = $derived(of ? Math.floor((tried / of) * ticks) : 0);
</script>

<span
	class="row"
	role={label ? 'img' : undefined}
	aria-label={label || undefined}
	aria-hidden={label ? undefined : true}
>
	{#each Array.from({ length: ticks }, (_, i) => i < full) as is, i (i)}<span class:is
		></span>{/each}
</span>

<style>
	.row {
		display: inline-flex;
		gap: 2px;
		align-items: flex-end;
		height: 14px;
	}
	.row span {
		width: 2px;
		height: 6px;
		background: var(--color-line);
	}
	.row .is {
		height: 14px;
		background: var(--color-brass);
	}
</style>
