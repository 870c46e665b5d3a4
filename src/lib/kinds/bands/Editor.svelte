<script lang="ts">
	/** The bands on their ruler; above it the formula they part, where it is no field. */
	import type { BodyOf } from '$core';
	import { limitPoint, withoutResult } from '$core';
	import { readFormula } from '$core/feel/language';
	import FormulaInput from '../../inputs/FormulaInput.svelte';
	import Tried from '../../trials/Tried.svelte';
	import { NONE_LABEL } from '../../words/format';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';
	import BandRuler from './BandRuler.svelte';
	import { bandInput, byFormula } from './choice.svelte';

	let { rule, body, field, disabled }: EditorProps<BodyOf<'bands'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'bands');
	const input = $derived(bandInput(rule, body));
	const dates = $derived(
		readFormula(body.input, { schema: w.schema, type: rule.type }).compiled?.ty.t === 'date'
	);
</script>

{#if !input && (byFormula.has(rule.id) || !('expr' in body.input && body.input.expr.k === 'hole'))}
	<FormulaInput
		label="What the bands part"
		formula={body.input}
		schema={w.schema}
		type={rule.type}
		{disabled}
		onchange={(f) => set('input', (b) => ({ ...b, input: f }))}
	/>
{/if}
{#if body.limits.length || input}<BandRuler
		{body}
		schema={w.schema}
		inputType={rule.type}
		inputField={input}
		{dates}
		inputLabel={input ? (w.schema.field(rule.type, input)?.label ?? input) : 'value'}
		target={w.schema.field(rule.type, rule.outputs[0]?.field ?? '') ?? field}
		sample={w.sampleValue(rule.type, input)}
		none={NONE_LABEL[withoutResult(w.plan, rule, rule.outputs[0])]}
		{disabled}
		tried={(at, side) =>
			input && w.covering.rules.has(rule.id)
				? w.covering.triedBy(limitPoint(rule, input, at, side)) !== undefined
				: null}
		onchange={(label, b) => set(label, () => b)}
		>{#snippet mark(part)}<Tried rule={rule.id} {part} />{/snippet}</BandRuler
	>{/if}
