<script lang="ts">
	import type { BodyOf } from '$core';
	import { useWorkbench } from '../../work/workbench.svelte';
	import Source from '../Source.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, disabled }: WordsProps<BodyOf<'options'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'options');
</script>

what the grid gives for
<Source
	{rule}
	value={body.input}
	label="Field to map from"
	accept={(f) => (f.type === 'choice' || f.type === 'yesno') && f.id !== output.field}
	{disabled}
	onpick={(v) => set('input', (b) => ({ ...b, input: v, rows: {} }))}
/>
