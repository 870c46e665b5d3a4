<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type WordsProps } from '../view';
	import { bandInput, byFormula } from './choice.svelte';

	let { rule, body, output, disabled }: WordsProps<BodyOf<'bands'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'bands');
	const input = $derived(bandInput(rule, body));
	const numbers = $derived(
		w.schema
			.type(rule.type)
			.type.fields.filter(
				(f) =>
					!f.retired &&
					['number', 'money', 'percent', 'date'].includes(f.type) &&
					f.id !== output.field
			)
	);
	function pick(id: string) {
		if (!id) {
			byFormula.add(rule.id);
			return;
		}
		byFormula.delete(rule.id);
		set('input', (b) => ({
			...b,
			input: { expr: { k: 'field', image: 'settled', type: rule.type, field: id } }
		}));
	}
</script>

the band that
<Word
	label="What the bands part"
	tone="reads"
	value={input ?? ''}
	text={input ? undefined : 'the formula below'}
	{disabled}
	choices={[
		...numbers.map((f) => ({ value: f.id, label: f.label })),
		{ value: '', label: 'a formula' }
	]}
	onpick={pick}
/>
falls in,
