<script lang="ts">
	/** Who else works in a part of the draft at this moment. */
	import { useWorkbench } from '../work/workbench.svelte';

	let { part }: { part: string } = $props();
	const w = useWorkbench();
	const names = $derived(w.others.at(part));
</script>

{#if names.length}
	<span class="chip" role="status" title="What they store is shown here at once"
		>{names.join(', ')} {names.length > 1 ? 'are' : 'is'} here</span
	>
{/if}

<style>
	.chip {
		border: 1px dashed var(--color-teal);
		color: var(--color-teal);
		padding: 0 6px;
		font-size: 12px;
		line-height: 18px;
		white-space: nowrap;
	}
</style>
