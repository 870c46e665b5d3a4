<script lang="ts">
	/** The field that an output writes or is about. */
	import type { Output, Rule } from '$core';
	import Word from '../words/Word.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		rule,
		output,
		label,
		disabled
	}: { rule: Rule; output: Output; label: string; disabled: boolean } = $props();

	const w = useWorkbench();
	const choices = $derived(
		w.schema
			.type(rule.type)
			.type.fields.filter((f) => !f.retired)
			.map((f) => ({ value: f.id, label: f.label }))
	);
</script>

<Word
	{label}
	tone="writes"
	value={output.field}
	{choices}
	{disabled}
	onpick={(field) =>
		w.editRule('output', rule.id, (r) => ({
			...r,
			outputs: r.outputs.map((o) => (o.id === output.id ? { ...o, field } : o))
		}))}
/>
