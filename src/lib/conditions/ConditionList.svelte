<script lang="ts">
	/**
	 * A condition as a list that anybody can read and build, in step with its text: wherever a condition
	 * stands, it is this. What is stored is the tree; the list and the text are views of it.
	 */
	import { untrack } from 'svelte';
	import type { ConditionGroup, Expr, Formula, Schema } from '$core';
	import { conditionList, conditionTree, openRow } from '$core';
	import { BOOLEAN, bare, readFormula } from '$core/feel/language';
	import FormulaInput from '../inputs/FormulaInput.svelte';
	import Group from './Group.svelte';
	import type { SeenPart } from './verdict';

	let {
		formula,
		schema,
		type,
		item = false,
		label,
		nothing,
		parts = null,
		begin = false,
		disabled = false,
		onchange
	}: {
		/** Null where no condition is asked for. */
		formula: Formula | null;
		schema: Schema;
		/** Record type whose fields it speaks of. */
		type: string;
		/** It is asked of the items of a list. */
		item?: boolean;
		label: string;
		/** What it means that there is none. */
		nothing: string;
		/** What its rows made of the sample. */
		parts?: readonly SeenPart[] | null;
		/** Begins with a row whose first word is open. */
		begin?: boolean;
		disabled?: boolean;
		onchange: (f: Formula | null) => void;
	} = $props();

	/** The tree; undefined for a text that cannot be read. */
	const tree = $derived.by((): Expr | null | undefined => {
		if (!formula) return null;
		if ('expr' in formula) return formula.expr;
		if (!formula.text.trim()) return null;
		return readFormula(formula, { schema, type }).compiled?.expr;
	});
	let asked = $state(false);
	const asText = $derived(asked || tree === undefined);
	const list = $derived(conditionList(tree ?? null, schema));
	let fresh = $state<string | null>(null);

	function set(g: ConditionGroup) {
		const t = conditionTree(g);
		fresh = null;
		onchange(t && { expr: bare(t) });
	}
	function first() {
		set({ k: 'group', how: 'all', items: [openRow()] });
		fresh = '0';
	}
	// what was asked for is begun with its first word open
	if (untrack(() => begin && !tree && !disabled)) queueMicrotask(first);
</script>

{#if asText}
	<FormulaInput
		{label}
		formula={formula ?? { text: '' }}
		{schema}
		{type}
		expected={BOOLEAN}
		{disabled}
		onchange={(f) => onchange(f)}
	/>
	{#if tree !== undefined}<p class="text-right text-sm">
			<button
				class="textlink text-quiet"
				onclick={() => (asked = false)}
				aria-label="{label}: as a list">as a list</button
			>
		</p>{/if}
{:else if !list.items.length}
	<p class="flex gap-3 text-sm">
		<span class="text-quiet">{nothing}</span>
		{#if !disabled}<button class="textlink" onclick={first} aria-label="{label}: add a condition"
				>condition</button
			>{/if}
	</p>
{:else}
	<div class="relative">
		<Group
			{list}
			path={[]}
			{schema}
			{type}
			{item}
			{label}
			{parts}
			{fresh}
			{disabled}
			onchange={set}
			onadded={(place) => (fresh = place)}
		/>
		{#if !item}<p class="feel text-sm">
				<button
					class="textlink text-quiet"
					onclick={() => (asked = true)}
					aria-label="{label}: as FEEL">as FEEL</button
				>
			</p>{/if}
	</div>
{/if}

<style>
	.feel {
		position: absolute;
		right: 0;
		bottom: 0;
	}
</style>
