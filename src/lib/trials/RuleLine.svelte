<script lang="ts">
	/** A rule in a list of what is tried or noticed of each: its name opens it, ticks and a number say how far. */
	import Ticks from './Ticks.svelte';

	let {
		name,
		done,
		of,
		word,
		open,
		onopen
	}: {
		name: string;
		done: number;
		of: number;
		/** What is done with each: `tried`. */
		word: string;
		open: boolean;
		onopen: () => void;
	} = $props();
</script>

<div class="flex items-center gap-3 py-1">
	<button class="textlink min-w-0 grow truncate text-left" aria-expanded={open} onclick={onopen}
		>{name}</button
	>
	<Ticks tried={done} {of} label="{done} of {of} {word}" />
	<span class="mono w-16 text-right" class:text-ochre={done < of}>{done}/{of}</span>
</div>
