<script lang="ts">
	/** What is rehearsed against what, and on which records. */
	import type { Formula } from '$core';
	import type { Asked } from '$server/db/rehearsals';
	import ConditionList from '../conditions/ConditionList.svelte';
	import Choose from '../inputs/Choose.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		asked,
		releases,
		disabled,
		onchange
	}: {
		asked: Asked;
		releases: readonly number[];
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
		...w.model.types.map((t) => ({ value: t.id, label: `${t.plural} where …` }))
	]);
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
	<Choose
		value={asked.selection?.type ?? ''}
		choices={types}
		label="On which records"
		{disabled}
		onpick={(type) =>
			onchange({ ...asked, selection: type ? { type, condition: { text: '' } } : null })}
	/>
</div>
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
