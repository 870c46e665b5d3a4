<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import Counts from '../Counts.svelte';
	import Target from '../Target.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, opened, disabled }: WordsProps<BodyOf<'check'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'check');
</script>

what is asked below must hold, else it
<Word
	label="What the message does"
	value={body.blocking ? 'blocks' : 'advises'}
	{disabled}
	choices={[
		{ value: 'blocks', label: 'blocks', help: 'the change is refused' },
		{
			value: 'advises',
			label: 'advises',
			help: 'the change goes through, and the message is shown'
		}
	]}
	onpick={(v) => set('blocking', (b) => ({ ...b, blocking: v === 'blocks' }))}
/>
at
<Target
	{rule}
	{output}
	label="Field the message is shown at"
	{disabled}
/>{#if opened || body.always}; it counts
	<Counts
		always={body.always}
		{disabled}
		onpick={(always) => set('when it counts', (b) => ({ ...b, always }))}
	/>{/if}.
