<script lang="ts">
	/** A formula for each output, with what it gives for the sample beside it. */
	import type { BodyOf, Formula, JsonValue } from '$core';
	import { bare, typeOfField } from '$core/feel/language';
	import LinkInput from '../../inputs/LinkInput.svelte';
	import FormulaInput from '../../inputs/FormulaInput.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';
	import BlankGives from './BlankGives.svelte';

	let { rule, body, disabled }: EditorProps<BodyOf<'formula'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'formula');
	/** The record that a formula names, where it is no more than that. */
	function certain(i: number): string | null {
		const x = body.formulas[i];
		return x && 'expr' in x && x.expr.k === 'record' ? x.expr.id : null;
	}
	function pick(i: number, type: string, v: JsonValue, title: string) {
		if (typeof v === 'string') w.titles.learn({ [`${type}.${v}`]: title });
		const next: Formula =
			typeof v === 'string' ? { expr: { k: 'record', type, id: v } } : { text: '' };
		set('formula', (b, r) => ({
			...b,
			formulas: r.outputs.map((_, k) => (k === i ? next : (b.formulas[k] ?? { text: '' })))
		}));
	}
</script>

{#each rule.outputs as o, i (o.id)}
	{@const f = w.schema.field(rule.type, o.field)}
	{#if rule.outputs.length > 1}<p class="mt-1 text-xs text-quiet">{i + 1} · {f?.label}</p>{/if}
	<FormulaInput
		label="Formula for {f?.label ?? o.field}"
		formula={body.formulas[i] ?? { text: '' }}
		schema={w.schema}
		type={rule.type}
		expected={f ? typeOfField(f) : undefined}
		margin={w.given(rule, o)}
		{disabled}
		onchange={(x) =>
			set('formula', (b, r) => ({
				...b,
				formulas: r.outputs.map((_, k) => (k === i ? bare(x) : (b.formulas[k] ?? { text: '' })))
			}))}
	/>
	{#if f?.type === 'link' && !disabled}
		<div class="mt-1 flex items-center gap-2 text-sm">
			<label class="text-quiet" for="certain-{o.id}"
				>or a certain {w.schema.type(f.target!).type.label.toLowerCase()}</label
			>
			<LinkInput
				id="certain-{o.id}"
				target={f.target!}
				value={certain(i)}
				title={certain(i) ? (w.titles.all[`${f.target}.${certain(i)}`] ?? '') : ''}
				onchange={(v, title) => pick(i, f.target!, v, title)}
			/>
		</div>
	{/if}
{/each}
<BlankGives {rule} {body} {disabled} />
