<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, disabled }: WordsProps<BodyOf<'match'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'match');
</script>

the
<Word
	label="Record type to search"
	tone="reads"
	value={body.type}
	text={w.schema.types.has(body.type) ? undefined : 'which records?'}
	{disabled}
	choices={w.model.types.map((t) => ({ value: t.id, label: t.label }))}
	onpick={(v) => set('searched type', (b) => ({ ...b, type: v, on: [] }))}
/> that matches
