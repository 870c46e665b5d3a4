<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type AfterProps } from '../view';

	type Split = BodyOf<'split'>;
	let { rule, body, disabled }: AfterProps<Split> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'split');
	const SEPARATORS = [
		{ value: '', label: 'space' },
		{ value: ',', label: 'comma' },
		{ value: ';', label: 'semicolon' },
		{ value: '-', label: 'hyphen' },
		{ value: '/', label: 'slash' },
		{ value: '@', label: '@ sign' }
	];
</script>

It is parted at
<Word
	label="Where the text is parted"
	value={body.at}
	{disabled}
	choices={[
		{ value: 'first', label: 'the first' },
		{ value: 'last', label: 'the last' },
		{ value: 'each', label: 'each' }
	]}
	onpick={(v) => set('parted at', (b) => ({ ...b, at: v as Split['at'] }))}
/>
<Word
	label="What parts the text"
	value={body.separator.trim()}
	{disabled}
	choices={SEPARATORS}
	onpick={(v) => set('separator', (b) => ({ ...b, separator: v }))}
/>; a text of one part goes to
<Word
	label="Field for a text of one part"
	value={String(body.alone)}
	{disabled}
	choices={rule.outputs.map((o, k) => ({
		value: String(k),
		label: w.schema.field(rule.type, o.field)?.label ?? o.field
	}))}
	onpick={(v) => set('one part', (b) => ({ ...b, alone: Number(v) }))}
/>.
