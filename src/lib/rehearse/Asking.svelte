<script lang="ts">
	/** What is rehearsed against what, and on which records, or on the changes of which days. */
	import type { Formula } from '$core';
	import type { Asked } from '$server/db/rehearsals';
	import DateInput from '../inputs/DateInput.svelte';
	import { LENGTHS, lengthOf, periodOf } from './period';
	import ConditionList from '../conditions/ConditionList.svelte';
	import Choose from '../inputs/Choose.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		asked,
		releases,
		newest,
		disabled,
		onchange
	}: {
		asked: Asked;
		releases: readonly number[];
		/** Day of the newest change; null where there is none. */
		newest: string | null;
		disabled: boolean;
		onchange: (a: Asked) => void;
	} = $props();

	const w = useWorkbench();
	const name = (n: number | null) => (n === null ? 'draft' : String(n));
	const number = (v: string) => (v === 'draft' ? null : Number(v));
	const versions = $derived([
		{ value: 'draft', label: 'The draft' },
		...releases.map((n) => ({
			value: String(n),
			label: `Release ${n}${n === w.force.number ? ', in force' : ''}`
		})),
		{ value: '0', label: 'No rules at all' }
	]);
	const types = $derived([
		{ value: '', label: 'all records' },
		...w.model.types.map((t) => ({ value: t.id, label: `${t.plural} where …` })),
		...(newest === null
			? []
			: [
					...LENGTHS.map((n) => ({
						value: `days ${n}`,
						label: `what was changed in ${n} days`
					})),
					...(asked.period && lengthOf(asked.period) === null
						? [{ value: 'days', label: 'what was changed' }]
						: [])
				])
	]);
	const on = $derived.by(() => {
		if (!asked.period) return asked.selection?.type ?? '';
		const length = lengthOf(asked.period);
		return length === null ? 'days' : `days ${length}`;
	});
	function pickOn(v: string) {
		const days = /^days (\d+)$/.exec(v);
		if (days) onchange({ ...asked, selection: null, period: periodOf(newest!, Number(days[1])) });
		else if (v !== 'days')
			onchange({
				...asked,
				period: null,
				selection: v ? { type: v, condition: { text: '' } } : null
			});
	}
</script>

<div class="flex flex-wrap items-center gap-2">
	<Choose
		value={name(asked.after)}
		choices={versions}
		label="What is rehearsed"
		{disabled}
		onpick={(v) => onchange({ ...asked, after: number(v) })}
	/>
	<span class="text-quiet">against</span>
	<Choose
		value={name(asked.before)}
		choices={versions}
		label="Against what"
		{disabled}
		onpick={(v) => onchange({ ...asked, before: number(v) })}
	/>
	<span class="text-quiet">on</span>
	<Choose value={on} choices={types} label="On which records" {disabled} onpick={pickOn} />
</div>
{#if asked.period}
	{@const { period } = asked}
	<div class="mt-2 flex items-center gap-2">
		{#each ['from', 'to'] as const as end (end)}
			<span class="text-quiet">{end}</span>
			<DateInput
				class="w-36"
				label={end === 'from' ? 'First day' : 'Last day'}
				value={period[end]}
				{disabled}
				oninput={(day) => onchange({ ...asked, period: { ...period, [end]: day } })}
				onpick={(day) => onchange({ ...asked, period: { ...period, [end]: day } })}
			/>
		{/each}
	</div>
{/if}
{#if asked.selection}
	{@const { type, condition } = asked.selection}
	<div class="mt-2 max-w-2xl border-l-2 border-hairline pl-3">
		{#key type}<ConditionList
				label="Which {w.schema.types.get(type)?.type.plural}"
				formula={'text' in condition && !condition.text.trim() ? null : condition}
				schema={w.schema}
				{type}
				nothing="All of them."
				begin
				{disabled}
				onchange={(f: Formula | null) =>
					onchange({ ...asked, selection: { type, condition: f ?? { text: '' } } })}
			/>{/key}
	</div>
{/if}
