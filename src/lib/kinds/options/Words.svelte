<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, disabled }: WordsProps<BodyOf<'options'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'options');
	const sources = $derived(
		w.schema
			.type(rule.type)
			.type.fields.filter(
				(f) => !f.retired && (f.type === 'choice' || f.type === 'yesno') && f.id !== output.field
			)
	);
</script>

what the grid gives for
<Word
	label="Field to map from"
	tone="reads"
	value={body.input}
	text={body.input ? undefined : 'which field?'}
	choices={sources.map((f) => ({ value: f.id, label: f.label }))}
	{disabled}
	onpick={(v) => set('input', (b) => ({ ...b, input: v, rows: {} }))}
/>,
