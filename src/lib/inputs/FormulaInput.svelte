<script lang="ts">
	/** A formula as text, read at every keystroke: what cannot be read is marked at its place. */
	import type { Formula, Schema } from '$core';
	import type { Ty } from '$core/feel/language';
	import { bare, readFormula } from '$core/feel/language';
	import SourceInput from './SourceInput.svelte';

	let {
		formula,
		schema,
		type,
		expected,
		variables,
		optional = false,
		...rest
	}: {
		formula: Formula;
		schema: Schema;
		type: string | null;
		expected?: Ty;
		/** Names it may use beside fields, with their types. */
		variables?: readonly { name: string; ty: Ty }[];
		/** Nothing written is no fault. */
		optional?: boolean;
		label: string;
		/** The value it gives for the sample. */
		margin?: string;
		compact?: boolean;
		placeholder?: string;
		disabled?: boolean;
		onkeydown?: (e: KeyboardEvent) => void;
		onchange: (f: Formula) => void;
	} = $props();

	const scope = $derived({ schema, type, expected, variables });
	const read = (text: string) => readFormula({ text }, scope);
</script>

<SourceInput
	{...rest}
	about={{ schema, type, variables }}
	text={readFormula(formula, scope).text}
	read={(t) => (optional && !t.trim() ? [] : read(t).faults)}
	oninput={(text) => {
		const r = read(text);
		rest.onchange(r.compiled && !r.faults.length ? { expr: bare(r.compiled.expr) } : { text });
	}}
/>
