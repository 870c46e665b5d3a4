<script lang="ts">
	/** What two versions of a rule say otherwise, part by part. */
	import type { Rule } from '$core';
	import { differences } from '$core';
	import { useWorkbench } from '../work/workbench.svelte';

	let { before, after }: { before: Rule | null; after: Rule | null } = $props();

	const w = useWorkbench();
	const all = $derived(differences(before, after, w.schema, w.sayValue));
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
