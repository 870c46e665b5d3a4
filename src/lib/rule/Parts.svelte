<script lang="ts">
	/** What two versions of something say otherwise, part by part. */
	import type { Difference } from '$core';

	let { all }: { all: readonly Difference[] } = $props();
</script>

<dl class="text-sm" aria-label="What differs">
	{#each all as d, i (i)}
		<div class="said">
			<dt class="text-quiet">{d.label}</dt>
			<dd>
				{#if d.before !== null}<del>{d.before}</del>{/if}
				{#if d.before !== null && d.after !== null}<span class="text-quiet" aria-hidden="true"
						>→</span
					>{/if}
				{#if d.after !== null}<ins>{d.after}</ins>{/if}
			</dd>
		</div>
	{:else}
		<p class="text-quiet">They say the same.</p>
	{/each}
</dl>

<style>
	dd {
		overflow-wrap: anywhere;
	}
	del {
		color: var(--color-quiet);
		text-decoration: line-through;
	}
	ins {
		text-decoration: none;
		font-weight: 550;
	}
</style>
