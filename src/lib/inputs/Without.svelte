<script lang="ts">
	/** Leaves one thing of several out. */
	import X from '@lucide/svelte/icons/x';

	let { label, onclick }: { label: string; onclick: () => void } = $props();
</script>

<button
	type="button"
	class="grid size-7 shrink-0 place-items-center text-quiet hover:bg-band-1"
	aria-label={label}
	{onclick}><X size={14} aria-hidden="true" /></button
>
