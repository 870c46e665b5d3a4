<script lang="ts">
	/** The first and the last day of a period, typed or picked; what is no period is told and goes nowhere. */
	import { faultOf } from '../rehearse/period';
	import DateInput from './DateInput.svelte';

	interface Days {
		from: string;
		to: string;
	}
	let {
		value,
		labels = { from: 'First day', to: 'Last day' },
		onchange
	}: {
		value: Days;
		labels?: Days;
		/** Told of periods alone. */
		onchange: (days: Days) => void;
	} = $props();

	/** While it is being typed. */
	let typed = $state<Days | null>(null);
	const shown = $derived(typed ?? value);
	const fault = $derived(faultOf(shown));
	function type(end: keyof Days, day: string) {
		typed = { ...shown, [end]: day };
		if (!faultOf(typed)) onchange(typed);
	}
</script>

{#each ['from', 'to'] as const as end (end)}
	<DateInput
		class="w-36"
		label={labels[end]}
		value={shown[end]}
		oninput={(day) => type(end, day)}
		onpick={(day) => type(end, day)}
	/>
{/each}
{#if fault}<span class="text-brick">● {fault}</span>{/if}
