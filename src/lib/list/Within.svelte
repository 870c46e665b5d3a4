<script lang="ts">
	/** A period of a list: any time, the last days, or from one day to another. */
	import type { ListPeriod } from '$door/lists';
	import Choose from '../inputs/Choose.svelte';
	import DaysBetween from '../inputs/DaysBetween.svelte';
	import { LENGTHS, periodOf } from '../rehearse/period';

	let {
		value,
		today,
		label,
		of,
		onchange
	}: {
		value: ListPeriod | null;
		/** The day it is, ISO 8601. */
		today: string;
		label: string;
		/** What lies within it, for the labels of its days. */
		of: string;
		onchange: (period: ListPeriod | null) => void;
	} = $props();

	/** A view may ask for a length of its own. */
	const lengths = $derived(
		value && 'days' in value
			? [...new Set([...LENGTHS, value.days])].sort((a, b) => a - b)
			: LENGTHS
	);
	const choices = $derived([
		{ value: '', label: 'at any time' },
		...lengths.map((n) => ({ value: String(n), label: `in the last ${n} days` })),
		{ value: 'days', label: 'from one day to another' }
	]);
	const certain = $derived(value && 'from' in value ? value : null);
	const chosen = $derived(certain ? 'days' : value && 'days' in value ? String(value.days) : '');
	const pick = (v: string) =>
		onchange(v === 'days' ? periodOf(today, 14) : v ? { days: Number(v) } : null);
</script>

<Choose value={chosen} {choices} {label} onpick={pick} />
{#if certain}
	<DaysBetween
		value={certain}
		labels={{ from: `First day of ${of}`, to: `Last day of ${of}` }}
		{onchange}
	/>
{/if}
