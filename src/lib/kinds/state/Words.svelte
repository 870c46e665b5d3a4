<script lang="ts">
	import type { BodyOf, FieldState } from '$core';
	import { FIELD_STATES } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import Counts from '../Counts.svelte';
	import Target from '../Target.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, disabled }: WordsProps<BodyOf<'state'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'state');
	const HELP: Record<FieldState, string> = {
		required: 'a change that leaves it blank is refused',
		'read-only': 'what is sent for it is set aside',
		hidden: 'forms do not show it, and it is not required',
		limited: 'only the options ticked below are left'
	};
</script>

<Target {rule} {output} label="Field it is about" {disabled} />
is
<Word
	label="What the field is"
	value={body.state}
	{disabled}
	choices={FIELD_STATES.map((s) => ({ value: s, label: s, help: HELP[s] }))}
	onpick={(v) => set('state', (b) => ({ ...b, state: v as FieldState }))}
/>{#if body.state === 'required'}; it counts
	<Counts
		always={body.always}
		{disabled}
		onpick={(always) => set('when it counts', (b) => ({ ...b, always }))}
	/>{/if}.
