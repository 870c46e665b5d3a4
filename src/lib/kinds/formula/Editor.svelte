<script lang="ts">
	/** The calculations of a rule, which of the related records count, and what a blank gives; the rest stands in the sentence. */
	import type { BodyOf } from '$core';
	import GivenMore from '../../inputs/GivenMore.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';
	import BlankGives from './BlankGives.svelte';

	let { rule, body, disabled }: EditorProps<BodyOf<'formula'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'formula');
</script>

{#each rule.outputs as o, i (o.id)}
	{@const field = w.schema.field(rule.type, o.field)}
	{#if field}
		{#if rule.outputs.length > 1}<p class="mt-1 text-xs text-quiet">{field.label}</p>{/if}
		<GivenMore
			given={body.formulas[i] ?? { text: '' }}
			{field}
			schema={w.schema}
			type={rule.type}
			label="What {field.label} gets"
			margin={w.given(rule, o)}
			{disabled}
			onchange={(g) => {
				if (typeof g === 'string') return;
				set('formula', (b, r) => ({
					...b,
					formulas: r.outputs.map((_, k) => (k === i ? g : (b.formulas[k] ?? { text: '' })))
				}));
			}}
		/>
	{/if}
{/each}
<BlankGives {rule} {body} {disabled} />
