<script lang="ts">
	/** Fields with a value each: what a sample holds, or what a change sends. */
	import Without from '../inputs/Without.svelte';
	import type { JsonValue, Schema } from '$core';
	import SearchPick from '../inputs/SearchPick.svelte';
	import ValueInput from '../inputs/ValueInput.svelte';
	import { describeField } from '../words/format';

	let {
		values,
		type,
		schema,
		links,
		name,
		ask,
		disabled = false,
		onchange
	}: {
		values: readonly (readonly [field: string, value: JsonValue])[];
		type: string;
		schema: Schema;
		links: Record<string, string>;
		/** Whose they are, for who does not see it. */
		name: string;
		/** What the button for one more says. */
		ask: string;
		disabled?: boolean;
		onchange: (values: [field: string, value: JsonValue][]) => void;
	} = $props();

	const all = $derived(values.map(([f, v]): [string, JsonValue] => [f, v]));
	const open = () =>
		schema
			.type(type)
			.type.fields.filter((f) => !f.retired && !all.some(([id]) => id === f.id))
			.map((f) => ({
				id: f.id,
				label: f.label,
				group: f.group,
				help: describeField(f, schema).replace(/ · .*/, '')
			}));
</script>

{#each all as [id, value], i (id)}
	{@const field = schema.field(type, id)}
	<div class="flex items-center gap-2 py-0.5">
		<label class="w-44 shrink-0 truncate" for="{name}-{id}">{field?.label ?? id}</label>
		<div class="min-w-0 grow">
			{#if field}<ValueInput
					{field}
					{schema}
					{links}
					{disabled}
					{value}
					id="{name}-{id}"
					label="{field.label}, {name}"
					onchange={(v) => onchange(all.with(i, [id, v]))}
				/>{:else}<span class="text-brick">● This field is no longer there.</span>{/if}
		</div>
		{#if !disabled}<Without
				label="Leave out {field?.label ?? id}, {name}"
				onclick={() => onchange(all.filter((_, k) => k !== i))}
			/>{/if}
	</div>
{/each}
{#if !disabled}
	<SearchPick
		text={ask}
		label="{ask}, {name}"
		choices={open}
		look="word"
		unsaid
		onpick={(id) => onchange([...all, [id, null]])}
	/>
{/if}
