<script lang="ts">
	/** What must hold, and the message. */
	import type { BodyOf } from '$core';
	import ConditionList from '../../conditions/ConditionList.svelte';
	import Counts from '../Counts.svelte';
	import TemplateInput from '../../inputs/TemplateInput.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';

	let { rule, body, report, disabled }: EditorProps<BodyOf<'check'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'check');
	const unsaid = $derived('text' in body.holds && !body.holds.text.trim());
</script>

<ConditionList
	label="What must hold for {rule.name}"
	formula={unsaid ? null : body.holds}
	schema={w.schema}
	type={rule.type}
	nothing="Nothing is asked yet."
	begin={unsaid}
	parts={report?.holds ?? null}
	{disabled}
	onchange={(holds) => set('check', (b) => ({ ...b, holds: holds ?? { text: '' } }))}
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
<p class="mt-1 text-sm">
	<span class="text-quiet">It counts</span>
	<Counts
		always={body.always}
		{disabled}
		onpick={(always) => set('when it counts', (b) => ({ ...b, always }))}
	/>
</p>
