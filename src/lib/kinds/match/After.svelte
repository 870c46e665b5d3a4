<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type AfterProps } from '../view';

	type Match = BodyOf<'match'>;
	let { rule, body, disabled }: AfterProps<Match> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'match');
</script>

When several match,
<Word
	label="What several matches give"
	value={body.several}
	{disabled}
	choices={[
		{
			value: 'no result',
			label: 'there is no result',
			help: 'and the explanation says which they are'
		},
		{ value: 'leave', label: 'it leaves the field as it is' },
		{ value: 'clear', label: 'it clears the field' },
		{ value: 'first', label: 'the one with the lowest number counts' }
	]}
	onpick={(v) => set('several', (b) => ({ ...b, several: v as Match['several'] }))}
/>.
