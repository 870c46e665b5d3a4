<script lang="ts">
	/** Several values, each in a box of its own. */
	import type { Expr, Field, JsonValue, Schema } from '$core';
	import { HOLE, constantOf, constantTree, sayWay } from '$core';
	import Without from '../inputs/Without.svelte';
	import ValueInput from '../inputs/ValueInput.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		exprs,
		of,
		schema,
		label,
		disabled,
		onchange
	}: {
		exprs: Expr[];
		of: Field;
		schema: Schema;
		label: string;
		disabled: boolean;
		onchange: (xs: Expr[]) => void;
	} = $props();

	const uid = $props.id();
	const w = useWorkbench();
	function give(i: number, v: JsonValue, title?: string) {
		if (typeof v === 'string' && title && of.target)
			w.titles.learn({ [`${of.target}.${v}`]: title });
		onchange(exprs.map((x, k) => (k === i ? (v === null ? HOLE : constantTree(of, v)) : x)));
	}
</script>

<span class="inline-flex flex-wrap items-center gap-1">
	{#each exprs as x, i (i)}
		{@const v = x.k === 'hole' ? null : constantOf(x, of)}
		<span class="inline-flex items-center">
			{#if v === undefined}<span class="mono text-sm">{sayWay(x, schema)}</span>
			{:else}
				<span class="inline-block w-32">
					<ValueInput
						id="{uid}-{i}"
						field={of}
						{schema}
						value={v}
						links={w.titles.all}
						label="{label} {i + 1}"
						{disabled}
						onchange={(value, title) => give(i, value, title)}
					/>
				</span>
			{/if}
			{#if !disabled && exprs.length > 1}<Without
					label="{label}: without {i + 1}"
					onclick={() => onchange(exprs.filter((_, k) => k !== i))}
				/>{/if}
		</span>
	{/each}
	{#if !disabled}<button class="textlink text-sm" onclick={() => onchange([...exprs, HOLE])}
			>another</button
		>{/if}
</span>
