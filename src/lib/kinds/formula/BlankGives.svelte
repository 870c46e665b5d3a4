<script lang="ts">
	/** What a formula gives where something that it reads is blank: asked for as long as the formula does not say so itself. */
	import type { BodyOf, JsonValue, Rule } from '$core';
	import { undecidedReads, withoutResult } from '$core';
	import { readFormula } from '$core/feel/language';
	import ValueInput from '../../inputs/ValueInput.svelte';
	import Word from '../../words/Word.svelte';
	import { NONE_LABEL } from '../../words/format';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit } from '../view';

	let { rule, body, disabled }: { rule: Rule; body: BodyOf<'formula'>; disabled: boolean } =
		$props();

	const id = $props.id();
	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'formula');
	/** The labels of what may be blank. */
	const reads = $derived([
		...new Set(
			rule.outputs.flatMap((o, i) => {
				const f = body.formulas[i];
				const expr = f && readFormula(f, { schema: w.schema, type: rule.type }).compiled?.expr;
				if (!expr) return [];
				return undecidedReads(expr, { type: rule.type, field: o.field }, w.schema).map(
					(s) => s.field.label
				);
			})
		)
	]);
	const none = $derived(
		rule.outputs[0] ? NONE_LABEL[withoutResult(w.plan, rule, rule.outputs[0])] : ''
	);
	const chosen = $derived(!body.blank ? 'unsaid' : 'none' in body.blank ? 'none' : 'give');
	const choices = $derived([
		{ value: 'none', label: `nothing: it ${none}` },
		{ value: 'give', label: 'a value' },
		{ value: 'unsaid', label: 'not said yet' }
	]);
	const given = (i: number): JsonValue =>
		body.blank && 'give' in body.blank ? (body.blank.give[i] ?? null) : null;

	function choose(v: string) {
		set('blank', (b, r) => {
			const { blank: _, ...rest } = b;
			if (v === 'none') return { ...rest, blank: { none: true } };
			return v === 'give' ? { ...rest, blank: { give: r.outputs.map(() => null) } } : rest;
		});
	}
	function give(i: number, v: JsonValue) {
		set('blank value', (b, r) => ({
			...b,
			blank: { give: r.outputs.map((_, k) => (k === i ? v : given(k))) }
		}));
	}
</script>

{#if reads.length || body.blank}
	<div class="mt-1 flex flex-wrap items-baseline gap-x-2 gap-y-1 text-sm" id="{id}-blank">
		<span class="text-quiet"
			>Where {reads.length ? reads.join(' or ') : 'something it reads'} is blank and it comes to nothing,
			it gives</span
		>
		<Word
			label="What a blank gives"
			value={chosen}
			{choices}
			{disabled}
			text={chosen === 'none' ? `nothing and ${none}` : undefined}
			onpick={choose}
		/>
		{#if chosen === 'give'}
			{#each rule.outputs as o, i (o.id)}
				{@const f = w.schema.field(rule.type, o.field)}
				{#if f}
					<span class="inline-flex items-baseline gap-1">
						{#if rule.outputs.length > 1}<span class="text-quiet">{f.label}</span>{/if}
						<ValueInput
							id="{id}-{o.id}"
							field={f}
							schema={w.schema}
							value={given(i)}
							links={w.titles.all}
							label="What {f.label} gets where it is blank"
							{disabled}
							onchange={(v, title) => {
								if (typeof v === 'string' && title && f.target)
									w.titles.learn({ [`${f.target}.${v}`]: title });
								give(i, v);
							}}
						/>
					</span>
				{/if}
			{/each}
		{/if}
	</div>
{/if}
