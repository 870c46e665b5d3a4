<script lang="ts">
	/** Said where an edit of the model goes through the values of many records: who waits, and that it is at it. */
	import { formatCount } from '../words/format';

	let { values, busy }: { values: number; busy: boolean } = $props();
	/** Fewer are done before anybody notices. */
	const MANY = 20_000;
	/** So many take minutes rather than seconds on a slow machine. */
	const VERY_MANY = 400_000;
</script>

<p class="mt-2 text-sm" role="status">
	{#if busy}
		<span class="text-quiet">
			Going through {formatCount(values)}
			{values === 1 ? 'value' : 'values'} …
			{#if values >= MANY}Changes of records wait until it is done.{/if}
		</span>
	{:else if values >= MANY}
		<span class="text-ochre"
			>▲ It goes through {formatCount(values)} values in one step, which may take some
			{values >= VERY_MANY ? 'minutes' : 'seconds'}: changes of records wait until it is done.</span
		>
	{/if}
</p>
