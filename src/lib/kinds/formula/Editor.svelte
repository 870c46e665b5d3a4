<script lang="ts">
	/** A formula for each output, with what it gives for the sample beside it. */
	import type { BodyOf } from '$core';
	import { bare, typeOfField } from '$core/feel/language';
	import FormulaInput from '../../inputs/FormulaInput.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';

	let { rule, body, disabled }: EditorProps<BodyOf<'formula'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'formula');
</script>

{#each rule.outputs as o, i (o.id)}
	{@const f = w.schema.field(rule.type, o.field)}
	{#if rule.outputs.length > 1}<p class="mt-1 text-xs text-quiet">{i + 1} · {f?.label}</p>{/if}
	<FormulaInput
		label="Formula for {f?.label ?? o.field}"
		formula={body.formulas[i] ?? { text: '' }}
		schema={w.schema}
		type={rule.type}
		expected={f ? typeOfField(f) : undefined}
		margin={w.given(rule, o)}
		{disabled}
		onchange={(x) =>
			set('formula', (b, r) => ({
				...b,
				formulas: r.outputs.map((_, k) => (k === i ? bare(x) : (b.formulas[k] ?? { text: '' })))
			}))}
	/>
{/each}
