<script lang="ts">
	/** Running text with formulas in braces, read at every keystroke. */
	import type { Schema, Template } from '$core';
	import { printTemplate, readTemplate } from '$core/feel/language';
	import SourceInput from './SourceInput.svelte';

	let {
		template,
		schema,
		type,
		...rest
	}: {
		template: Template;
		schema: Schema;
		type: string;
		label: string;
		margin?: string;
		placeholder?: string;
		disabled?: boolean;
		onchange: (t: Template) => void;
	} = $props();
</script>

<SourceInput
	{...rest}
	template
	about={{ schema, type }}
	text={printTemplate(template, schema)}
	read={(t) => readTemplate(t, { schema, type }).faults}
	oninput={(t) => rest.onchange(readTemplate(t, { schema, type }).template)}
/>
