<script lang="ts">
	import type { BodyOf } from '$core';
	import { sayCondition } from '$core';
	import { readFormula } from '$core/feel/language';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import Target from '../Target.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, opened, disabled }: WordsProps<BodyOf<'check'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'check');
	const words = $derived.by(() => {
		const r = readFormula(body.holds, { schema: w.schema, type: rule.type });
		if (!r.compiled) return r.text || '…';
		return sayCondition(r.compiled.expr, w.schema, w.sayValue);
	});
</script>

{#if opened}{rule.guard ? 'what' : 'What'} is asked below must hold{:else}it must hold that
	<span class="font-medium">{words}</span>{/if}, else
<Word
	label="What the message does"
	value={body.blocking ? 'blocks' : 'advises'}
	{disabled}
	choices={[
		{ value: 'blocks', label: 'the change is refused' },
		{ value: 'advises', label: 'people are advised', help: 'the change goes through' }
	]}
	onpick={(v) => set('blocking', (b) => ({ ...b, blocking: v === 'blocks' }))}
/>, with the message at
<Target {rule} {output} label="Field the message is shown at" {disabled} />{#if body.always}, at
	every save{/if}.
