<script lang="ts">
	/** The sample in one line, above an editor that takes the whole page: what goes in, and what comes of it. */
	import { toJson } from '$core';
	import ValueInput from '../inputs/ValueInput.svelte';
	import { formatValue } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';
	import { fieldsAtStake } from './stake';

	let { field }: { field: string } = $props();
	const w = useWorkbench();
	const s = $derived(w.sample!);
	const result = $derived(w.result);
	const fields = $derived(fieldsAtStake(w, s, field));
	const at = $derived(w.schema.type(s.type).at);
	const valueOf = (id: string) => {
		const i = at.get(id);
		return result && i !== undefined ? toJson(result.values[i]) : null;
	};
	const written = $derived(new Set(result?.changes.flatMap((c) => (c.claim ? [c.field] : []))));
</script>

<section
	class="sticky top-0 z-10 mb-2 flex flex-wrap items-end gap-x-4 gap-y-1 border-b border-line bg-paper py-2 text-sm"
	aria-label="The sample in one line"
>
	<span class="max-w-40 truncate font-semibold" title={s.title}>{s.title}</span>
	{#each fields as x (x.id)}
		{@const out = x.id === field || written.has(x.id)}
		<span class="min-w-0" class:out>
			<span class="block text-xs {out ? 'text-brass-ink' : 'text-teal'}">{x.label}</span>
			{#if out || result?.readOnly.has(x.id)}
				<output class="mono font-semibold" aria-label="{x.label} of the sample"
					>{formatValue(x, valueOf(x.id), w.schema, w.titles.all) || '–'}</output
				>
			{:else}
				<span class="inline-block w-36"
					><ValueInput
						field={x}
						schema={w.schema}
						id="strip-{x.id}"
						label="{x.label} of the sample"
						value={valueOf(x.id)}
						links={w.titles.all}
						touched={s.sent.some(([id]) => id === x.id)}
						onchange={(v, title) => {
							if (title && typeof v === 'string') w.titles.learn({ [`${x.target}.${v}`]: title });
							w.touch(x.id, v);
						}}
					/></span
				>
			{/if}
		</span>
	{/each}
</section>

<style>
	.out {
		order: 1;
		padding-bottom: 4px;
	}
</style>
