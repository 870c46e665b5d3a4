<script lang="ts">
	import type { BodyOf } from '$core';
	import type { WordsProps } from '../view';

	let { body, i }: WordsProps<BodyOf<'split'>> = $props();
	const sign = $derived(body.separator.trim());
</script>

{#if body.at === 'each'}part {i + 1}{:else}{i === 0 ? 'what stands before' : 'what stands behind'}
	the {body.at}
	{sign ? `“${sign}”` : 'space'}{/if}
of the text below
