<script lang="ts">
	/** The own field that a rule starts from. */
	import type { Field, Rule } from '$core';
	import { HOLE } from '$core';
	import FieldPick from '../inputs/FieldPick.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		rule,
		value,
		label,
		accept,
		disabled,
		onpick
	}: {
		rule: Rule;
		/** Its identity; empty where none is chosen. */
		value: string;
		label: string;
		accept: (f: Field) => boolean;
		disabled: boolean;
		onpick: (field: string) => void;
	} = $props();

	const w = useWorkbench();
	const begins = w.begun?.rule === (() => rule.id)();
</script>

<FieldPick
	look="word"
	tone="reads"
	value={value ? { k: 'field', image: 'settled', type: rule.type, field: value } : HOLE}
	schema={w.schema}
	type={rule.type}
	{label}
	{disabled}
	open={begins && !value}
	accept={(way) => !!way.field && !way.through.length && accept(way.field)}
	onpick={(_, f) => {
		if (!f) return;
		onpick(f.id);
		w.nameAfter(rule.id, f.label);
	}}
/>
