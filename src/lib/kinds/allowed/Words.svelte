<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import Target from '../Target.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, disabled }: WordsProps<BodyOf<'allowed'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'allowed');
	const sources = $derived(
		w.schema
			.type(rule.type)
			.type.fields.filter((f) => !f.retired && f.type === 'choice' && f.id !== output.field)
			.map((f) => ({ value: f.id, label: f.label }))
	);
</script>

<Target {rule} {output} label="Field it is about" {disabled} />
is limited to what the grid allows for
<Word
	label="Field that limits it"
	tone="reads"
	value={body.input}
	text={body.input ? undefined : 'which field?'}
	choices={sources}
	{disabled}
	onpick={(v) => set('input', (b) => ({ ...b, input: v, rows: {} }))}
/>.
