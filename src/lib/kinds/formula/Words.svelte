<script lang="ts">
	/** What an output gets: a value, a field, what related records tell, or a calculation. */
	import type { BodyOf, CaseGives } from '$core';
	import { sayGiven } from '$core';
	import { readFormula } from '$core/feel/language';
	import Given from '../../inputs/Given.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, i, opened, disabled }: WordsProps<BodyOf<'formula'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'formula');
	const field = $derived(w.schema.field(rule.type, output.field));
	const given = $derived(body.formulas[i] ?? { text: '' });
	const words = $derived.by(() => {
		if (opened || !field) return '';
		const r = readFormula(given, { schema: w.schema, type: rule.type });
		if (!r.compiled) return r.text || '…';
		return sayGiven(r.compiled.expr, field, w.schema, w.sayValue);
	});
	function give(g: CaseGives) {
		if (typeof g === 'string') return;
		const before = 'expr' in g && g.expr.k === 'field' && g.expr.image === 'was' ? g.expr : null;
		// what was before is taken when that field changes, unless somebody says otherwise
		if (
			before &&
			!rule.guard &&
			!rule.watch &&
			!body.formulas.some((f) => 'expr' in f && f.expr.k !== 'hole')
		)
			w.editRule('condition', rule.id, (r) => ({
				...r,
				guard: { expr: { k: 'call', fn: 'changed', args: [{ ...before, image: 'settled' }] } }
			}));
		set('formula', (b, r) => ({
			...b,
			formulas: r.outputs.map((_, k) => (k === i ? g : (b.formulas[k] ?? { text: '' })))
		}));
	}
</script>

{#if field && opened}
	<Given
		{given}
		{field}
		schema={w.schema}
		type={rule.type}
		label="What {field.label} gets"
		begin={i === 0 && w.begun?.rule === rule.id ? w.begun.first : null}
		{disabled}
		onchange={give}
	/>
{:else}<span class="font-medium">{words}</span>{/if}
