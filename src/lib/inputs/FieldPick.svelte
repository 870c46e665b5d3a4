<script lang="ts">
	/** What a condition or value speaks of: a field, its own or behind links, or records behind one. */
	import type { Expr, Field, Schema, WayTo } from '$core';
	import { sayWay, waysFrom } from '$core';
	import { describeField } from '../words/format';
	import SearchPick, { type Found } from './SearchPick.svelte';

	let {
		value,
		schema,
		type,
		item = false,
		accept = () => true,
		extra = [],
		ask = 'which field?',
		label,
		look = 'box',
		tone = '',
		open = false,
		disabled = false,
		class: more = '',
		onpick
	}: {
		value: Expr;
		schema: Schema;
		type: string;
		/** It is an item of a list that is spoken of. */
		item?: boolean;
		/** Which of them may be chosen. */
		accept?: (way: WayTo) => boolean;
		/** What may be chosen besides. */
		extra?: readonly { label: string; expr: Expr }[];
		/** What is shown while nothing is chosen. */
		ask?: string;
		label: string;
		look?: 'box' | 'word';
		tone?: '' | 'reads' | 'writes';
		open?: boolean;
		disabled?: boolean;
		class?: string;
		onpick: (e: Expr, field: Field | null) => void;
	} = $props();

	const type0 = $derived(schema.types.get(type)?.type);
	let ways: WayTo[] = [];
	function choices(): Found[] {
		ways = waysFrom(schema, type, item).filter(accept);
		return [
			...ways.map((w, i) => ({
				id: String(i),
				label: w.label,
				group: w.through.length ? `${w.through.join(' › ')} ›` : (type0?.label ?? ''),
				help: w.field
					? describeField(w.field, schema).replace(/ · .*/, '')
					: `all ${schema.types.get(w.related!)?.type.plural.toLowerCase() ?? ''}`
			})),
			...extra.map((x, i) => ({ id: `x${i}`, label: x.label, group: 'Besides' }))
		];
	}
	const unsaid = $derived(value.k === 'hole');
</script>

<SearchPick
	text={unsaid ? ask : sayWay(value, schema)}
	{label}
	{choices}
	{look}
	{tone}
	{open}
	{unsaid}
	{disabled}
	class={more}
	onpick={(id) => {
		if (id.startsWith('x')) return onpick(extra[Number(id.slice(1))].expr, null);
		const w = ways[Number(id)];
		if (w) onpick(w.expr, w.field);
	}}
/>
