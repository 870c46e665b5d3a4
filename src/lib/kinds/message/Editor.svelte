<script lang="ts">
	/** A message: to whom, its subject and text, and what the sample would send. */
	import type { MessageBody } from '$core';
	import { TEXT, bare } from '$core/feel/language';
	import ConditionList from '../../conditions/ConditionList.svelte';
	import FieldOrFormula from '../../inputs/FieldOrFormula.svelte';
	import TemplateInput from '../../inputs/TemplateInput.svelte';
	import { bodyEdit, type EditorProps } from '../view';
	import { useWorkbench } from '../../work/workbench.svelte';

	let { rule, body, disabled }: EditorProps<MessageBody> = $props();

	const w = useWorkbench();
	const about = $derived(body.each?.type ?? rule.type);
	const aboutType = $derived(w.schema.types.get(about)?.type);
	const change = bodyEdit(w, () => rule, 'message');
	const set = (label: string, patch: Partial<MessageBody>) =>
		change(label, (b) => ({ ...b, ...patch }));
	const sends = $derived((w.result?.sends ?? []).filter((m) => m.claim === `${rule.id}:message`));
</script>

<div class="rows mt-2 text-sm">
	{#if body.each}
		<span class="pt-2 text-quiet">Only those where</span>
		<ConditionList
			label="Which {aboutType?.plural.toLowerCase()} get it"
			nothing="All of them."
			formula={body.filter}
			schema={w.schema}
			type={about}
			{disabled}
			onchange={(f) => set('who gets it', { filter: f })}
		/>
	{/if}
	<span class="pt-2 text-quiet">To the address</span>
	<FieldOrFormula
		label="E-mail address it goes to"
		formula={body.to}
		schema={w.schema}
		type={about}
		expected={TEXT}
		{disabled}
		onchange={(to) => set('recipient', { to: bare(to) })}
	/>
	<span class="pt-2 text-quiet">Subject</span>
	<TemplateInput
		label="Subject"
		template={body.subject}
		schema={w.schema}
		type={about}
		{disabled}
		onchange={(t) => set('subject', { subject: bare(t) })}
	/>
	<span class="pt-2 text-quiet">Text</span>
	<TemplateInput
		label="Text of the message"
		template={body.text}
		schema={w.schema}
		type={about}
		{disabled}
		onchange={(t) => set('text', { text: bare(t) })}
	/>
</div>
<p class="text-xs text-quiet">
	A field or formula in braces shows its value; fields are those of the {aboutType?.label.toLowerCase()}.
</p>
{#each sends.slice(0, 5) as m, n (n)}
	<div
		class="mt-2 border border-l-4 border-line border-l-brass px-3 py-2 text-sm"
		data-testid="sends"
	>
		<p><span class="text-quiet">to</span> <span class="mono">{m.to}</span></p>
		<p class="font-semibold">{m.subject}</p>
		<p class="whitespace-pre-wrap">{m.text}</p>
	</div>
{/each}
{#if sends.length > 5}<p class="mt-1 text-sm text-quiet">and {sends.length - 5} more</p>{/if}

<style>
	.rows {
		display: grid;
		grid-template-columns: 120px minmax(0, 1fr);
		column-gap: 8px;
		align-items: start;
	}
</style>
