<script lang="ts">
	/** What must hold, and the message. */
	import type { BodyOf } from '$core';
	import { BOOLEAN } from '$core/feel/language';
	import FormulaInput from '../../inputs/FormulaInput.svelte';
	import TemplateInput from '../../inputs/TemplateInput.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';

	let { rule, body, report, disabled }: EditorProps<BodyOf<'check'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'check');
	const SAID: Record<string, string> = {
		holds: '✓ holds',
		said: '✕ does not hold',
		'cannot tell': '? cannot tell'
	};
</script>

<FormulaInput
	label="What must hold for {rule.name}"
	formula={body.holds}
	schema={w.schema}
	type={rule.type}
	expected={BOOLEAN}
	margin={SAID[report?.outcome ?? ''] ?? ''}
	{disabled}
	onchange={(holds) => set('check', (b) => ({ ...b, holds }))}
/>
<p class="mt-2 text-xs text-quiet">Message; a formula in braces shows its value</p>
<TemplateInput
	label="Message of {rule.name}"
	template={body.message}
	schema={w.schema}
	type={rule.type}
	{disabled}
	onchange={(message) => set('message', (b) => ({ ...b, message }))}
/>
