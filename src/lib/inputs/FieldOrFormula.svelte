<script lang="ts">
	/** What something starts from: a field that is picked, across links too, or a calculation. */
	import type { Expr, Formula, Schema, WayTo } from '$core';
	import { HOLE, fieldOfSubject } from '$core';
	import { bare, typeOfField, type Ty } from '$core/feel/language';
	import FieldPick from './FieldPick.svelte';
	import FormulaInput from './FormulaInput.svelte';

	let {
		formula,
		schema,
		type,
		expected,
		label,
		open = false,
		narrow = false,
		margin = '',
		disabled = false,
		onchange
	}: {
		formula: Formula;
		schema: Schema;
		/** Record type whose fields it speaks of. */
		type: string;
		expected?: Ty;
		label: string;
		/** Its list is open from the start. */
		open?: boolean;
		/** It has no more room than its column. */
		narrow?: boolean;
		margin?: string;
		disabled?: boolean;
		onchange: (f: Formula) => void;
	} = $props();

	/** Asked for, and kept while it is typed. */
	let typing = $state(false);
	const expr = $derived<Expr | null>(
		'expr' in formula ? formula.expr : formula.text.trim() ? null : HOLE
	);
	const picked = $derived(
		!typing && expr !== null && (expr.k === 'hole' || fieldOfSubject(expr, schema) !== null)
	);
	/** Texts and numbers can be written as text; else a field is of the kind that is wanted. */
	const fits = (way: WayTo) => {
		if (!way.field) return false;
		if (!expected || expected.t === 'any') return true;
		const ty = typeOfField(way.field);
		if (ty.t !== expected.t) return false;
		if (ty.t === 'choice') return ty.list === (expected as typeof ty).list;
		return ty.t !== 'record' || ty.type === (expected as typeof ty).type;
	};
	const CALCULATION: Expr = { k: 'null' };
</script>

{#if picked}
	<FieldPick
		value={expr!}
		{schema}
		{type}
		{label}
		{open}
		{disabled}
		class={narrow ? 'w-full' : 'min-w-44'}
		accept={fits}
		extra={[{ label: 'a calculation', expr: CALCULATION }]}
		onpick={(e) => {
			if (e === CALCULATION) typing = true;
			else onchange({ expr: bare(e) });
		}}
	/>
	{#if margin}<output class="mono pl-2 text-teal" title="The value for the sample">{margin}</output
		>{/if}
{:else}
	<FormulaInput
		compact={narrow}
		{label}
		{formula}
		{schema}
		{type}
		{expected}
		{margin}
		{disabled}
		onchange={(f) => {
			typing = true;
			onchange(bare(f));
		}}
	/>
	{#if !disabled}<button
			class="textlink text-sm text-quiet"
			onclick={() => {
				typing = false;
				if (!('expr' in formula && fieldOfSubject(formula.expr, schema))) onchange({ expr: HOLE });
			}}>a field instead</button
		>{/if}
{/if}
