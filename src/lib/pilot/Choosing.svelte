<script lang="ts">
	/** Which records a pilot takes: those that meet conditions, and those that some people bring in by some roads. */
	import { ENTRY_LABEL, ENTRY_POINTS, type EntryPoint, type Formula } from '$core';
	import ConditionList from '../conditions/ConditionList.svelte';
	import Choose from '../inputs/Choose.svelte';
	import MultiChoose from '../inputs/MultiChoose.svelte';
	import Without from '../inputs/Without.svelte';
	import { useWorkbench } from '../work/workbench.svelte';
	import type { Writing } from './choice';

	let {
		choice,
		people,
		disabled,
		onchange
	}: {
		choice: Writing;
		people: readonly { id: string; name: string }[];
		disabled: boolean;
		onchange: (c: Writing) => void;
	} = $props();

	const w = useWorkbench();
	const plural = (type: string) => w.schema.types.get(type)?.type.plural ?? type;
	const free = $derived(w.model.types.filter((t) => !choice.chosen.some((c) => c.type === t.id)));
	/** The record type that was just added: its first word is open. */
	let added = $state<string | null>(null);
	const set = (type: string, condition: Formula | null) =>
		onchange({
			...choice,
			chosen: choice.chosen.map((c) => (c.type === type ? { type, condition } : c))
		});
	const { brought } = $derived(choice);
	const some = <X,>(list: readonly X[]) => (list.length ? list : null);
</script>

<div class="max-w-3xl">
	{#each choice.chosen as c (c.type)}
		<div class="mt-2 border-l-2 border-hairline pl-3">
			<div class="flex items-center gap-2">
				<span class="font-medium">{plural(c.type)} where</span>
				<Without
					label="Leave {plural(c.type)} out"
					onclick={() =>
						onchange({ ...choice, chosen: choice.chosen.filter((x) => x.type !== c.type) })}
				/>
			</div>
			<ConditionList
				label="Which {plural(c.type)}"
				formula={c.condition}
				schema={w.schema}
				type={c.type}
				nothing="Nothing is asked yet: say what has to hold."
				begin={added === c.type}
				{disabled}
				onchange={(f) => set(c.type, f)}
			/>
		</div>
	{/each}
	{#if free.length}<div class="mt-2">
			<Choose
				value=""
				choices={free.map((t) => ({ value: t.id, label: t.plural }))}
				label="Take records of a type"
				placeholder={choice.chosen.length ? 'and records of …' : 'Records of …'}
				{disabled}
				onpick={(type) => {
					added = type;
					onchange({ ...choice, chosen: [...choice.chosen, { type, condition: null }] });
				}}
			/>
		</div>{/if}
	<label class="mt-3 flex min-h-6 items-center gap-2"
		><input
			type="checkbox"
			checked={brought !== null}
			{disabled}
			onchange={(e) =>
				onchange({
					...choice,
					brought: e.currentTarget.checked ? { accounts: null, roads: null } : null
				})}
		/>{choice.chosen.length ? 'besides' : ''} every record that somebody changes or makes from now on</label
	>
	{#if brought}
		<div class="mt-1 flex flex-wrap items-center gap-3 border-l-2 border-hairline pl-3">
			<span class="text-quiet">by</span>
			<MultiChoose
				values={[...(brought.accounts ?? [])]}
				choices={people.map((p) => ({ value: p.id, label: p.name }))}
				label="Whose changes bring records in"
				placeholder="anybody"
				{disabled}
				onpick={(ids) => onchange({ ...choice, brought: { ...brought, accounts: some(ids) } })}
			/>
			<span class="text-quiet">through</span>
			<MultiChoose
				values={[...(brought.roads ?? [])]}
				choices={ENTRY_POINTS.map((e) => ({ value: e, label: ENTRY_LABEL[e] }))}
				label="By which roads"
				placeholder="any road"
				{disabled}
				onpick={(roads) =>
					onchange({ ...choice, brought: { ...brought, roads: some(roads as EntryPoint[]) } })}
			/>
		</div>
	{/if}
</div>
