<script lang="ts">
	import type { BodyOf, Expr, Field } from '$core';
	import { HOLE } from '$core';
	import type { Distribution } from '$door/distribution';
	import FieldPick from '../../inputs/FieldPick.svelte';
	import { ask } from '../../work/http';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type WordsProps } from '../view';
	import { byFormula } from './choice.svelte';
	import { CumulativeCounts } from './distribution';
	import { limitsFrom } from './limits';

	let { rule, body, output, disabled }: WordsProps<BodyOf<'bands'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'bands');
	const formula = $derived(byFormula.has(rule.id) || !('expr' in body.input));
	const value = $derived<Expr>('expr' in body.input ? body.input.expr : HOLE);
	const begins = w.begun?.rule === (() => rule.id)();
	const BANDED = ['number', 'money', 'percent', 'date'];

	async function pick(e: Expr, field: Field | null) {
		byFormula.delete(rule.id);
		set('input', (b) => ({ ...b, input: { expr: e } }));
		if (field) w.nameAfter(rule.id, field.label);
		if (body.limits.length || !field || e.k !== 'field') return;
		// the first limits come from the values that are there: one band for each option, or three
		const target = w.schema.field(rule.type, output.field);
		const bands = target?.type === 'choice' ? w.openOptions(rule.type, output.field).length : 3;
		const dates = field.type === 'date';
		let limits: number[] = [];
		try {
			const values = await ask<Distribution>(`/look/spread?type=${rule.type}&field=${field.id}`);
			limits = limitsFrom(new CumulativeCounts(values), Math.min(bands, 8) - 1, dates);
		} catch {
			// without an answer there are no limits yet, and they can be added
		}
		set('limits', (b) =>
			b.limits.length || !limits.length
				? b
				: {
						...b,
						limits: limits.map((x) => ({
							at: dates ? new Date(x * 864e5).toISOString().slice(0, 10) : String(x),
							belongs: 'above' as const
						})),
						results: [null, ...limits.map(() => null)]
					}
		);
	}
</script>

the band that
{#if formula}
	<button class="word reads" {disabled} onclick={() => byFormula.delete(rule.id)}
		>the formula below</button
	>
{:else}
	<FieldPick
		look="word"
		tone="reads"
		{value}
		schema={w.schema}
		type={rule.type}
		label="What the bands part"
		open={begins && value.k === 'hole'}
		{disabled}
		accept={(way) =>
			!!way.field &&
			BANDED.includes(way.field.type) &&
			!(way.field.id === output.field && !way.through.length)}
		extra={[{ label: 'a formula', expr: { k: 'null' } }]}
		onpick={(e, f) => (e.k === 'null' ? byFormula.add(rule.id) : void pick(e, f))}
	/>
{/if}
falls in
