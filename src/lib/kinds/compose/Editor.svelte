<script lang="ts">
	/** A text for each output, with fields and formulas in braces. */
	import type { BodyOf } from '$core';
	import { bare } from '$core/feel/language';
	import OnRecords from '../OnRecords.svelte';
	import TemplateInput from '../../inputs/TemplateInput.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';

	let { rule, body, disabled }: EditorProps<BodyOf<'compose'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'compose');
	const label = (id: string) => w.schema.field(rule.type, id)?.label ?? id;
</script>

{#each rule.outputs as o, i (o.id)}
	<p class="mt-1 text-xs text-quiet">
		{label(o.field)}; a field or formula in braces shows its value
	</p>
	<TemplateInput
		label="Text for {label(o.field)}"
		placeholder={'{Country} – {Postal code}'}
		template={body.texts[i] ?? []}
		schema={w.schema}
		type={rule.type}
		margin={w.given(rule, o)}
		{disabled}
		onchange={(t) =>
			set('text', (b, r) => ({
				...b,
				texts: r.outputs.map((_, k) => (k === i ? bare(t) : (b.texts[k] ?? [])))
			}))}
	/>
	<OnRecords {rule} output={o} />
{/each}
