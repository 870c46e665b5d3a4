<script lang="ts">
	/** What stands below the words of what something gets: a calculation, or which related records count. */
	import type { CaseGives, Field, Formula, Schema } from '$core';
	import { rollupOf, rollupTree } from '$core';
	import { bare, typeOfField } from '$core/feel/language';
	import ConditionList from '../conditions/ConditionList.svelte';
	import FormulaInput from './FormulaInput.svelte';
	import { wayOf } from './given';

	let {
		given,
		field,
		schema,
		type,
		label,
		margin = '',
		disabled = false,
		onchange
	}: {
		given: CaseGives;
		field: Field;
		schema: Schema;
		type: string;
		label: string;
		/** What a calculation gives for the sample. */
		margin?: string;
		disabled?: boolean;
		onchange: (g: CaseGives) => void;
	} = $props();

	/** What is typed stays a calculation while it is typed, whatever it comes to say. */
	let typing = $state(false);
	const rollup = $derived(
		typeof given === 'object' && 'expr' in given ? rollupOf(given.expr, schema) : null
	);
	const calculated = $derived(typing || wayOf(given, field, schema) === 'calculation');
</script>

{#if calculated && typeof given === 'object'}
	<div onfocusout={() => (typing = false)}>
		<FormulaInput
			label="{label}: calculation"
			formula={given}
			{schema}
			{type}
			expected={typeOfField(field)}
			{margin}
			{disabled}
			onchange={(f) => {
				typing = true;
				onchange(bare(f));
			}}
		/>
	</div>
{:else if rollup && rollup.related.k === 'related'}
	<div class="my-1 text-sm">
		<ConditionList
			formula={rollup.filter && { expr: rollup.filter }}
			{schema}
			type={rollup.related.type}
			item
			label="{label}: which of them"
			nothing="All of them count."
			{disabled}
			onchange={(f: Formula | null) =>
				onchange({
					expr: rollupTree({ ...rollup!, filter: f && 'expr' in f ? f.expr : null })
				})}
		/>
	</div>
{/if}
