<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type AfterProps } from '../view';

	type Lookup = BodyOf<'lookup'>;
	let { rule, body, disabled }: AfterProps<Lookup> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'lookup');
</script>

When several rows match,
<Word
	label="What several matching rows give"
	value={body.several}
	{disabled}
	choices={[
		{
			value: 'no result',
			label: 'there is no result',
			help: 'and the explanation says which rows'
		},
		{ value: 'first', label: 'the first counts' }
	]}
	onpick={(v) => set('several', (b) => ({ ...b, several: v as Lookup['several'] }))}
/>.
