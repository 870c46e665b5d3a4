<script lang="ts">
	import type { BodyOf } from '$core';
	import { TEXT } from '$core/feel/language';
	import FieldOrFormula from '../../inputs/FieldOrFormula.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';

	let { rule, body, disabled }: EditorProps<BodyOf<'split'>> = $props();

	const w = useWorkbench();
	const begins = w.begun?.rule === (() => rule.id)();
	const set = bodyEdit(w, () => rule, 'split');
</script>

<p class="mt-1 text-xs text-quiet">The text that is parted</p>
<FieldOrFormula
	open={begins}
	label="Text that is parted"
	formula={body.input}
	schema={w.schema}
	type={rule.type}
	expected={TEXT}
	margin={rule.outputs.map((o) => w.given(rule, o) || '–').join(' · ')}
	{disabled}
	onchange={(f) => set('text', (b) => ({ ...b, input: f }))}
/>
