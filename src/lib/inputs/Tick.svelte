<script lang="ts">
	/** The box before a choice of several, ticked or not. */
	import Check from '@lucide/svelte/icons/check';

	let { on }: { on: boolean } = $props();
</script>

<span class="grid size-4 shrink-0 place-items-center border border-field-line">
	{#if on}<Check size={12} aria-hidden="true" />{/if}
</span>
