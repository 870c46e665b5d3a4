<script lang="ts">
	/** What a condition compares with: a value that is picked, another field, or a calculation. */
	import type { Expr, Field, JsonValue, OperandKind, Schema } from '$core';
	import { HOLE, constantOf, constantTree, daysOf, daysTree, kindOfField } from '$core';
	import { bare, readFormula, typeOfField } from '$core/feel/language';
	import FieldPick from '../inputs/FieldPick.svelte';
	import FormulaInput from '../inputs/FormulaInput.svelte';
	import MultiChoose from '../inputs/MultiChoose.svelte';
	import ValueInput from '../inputs/ValueInput.svelte';
	import Several from './Several.svelte';
	import { useWorkbench } from '../work/workbench.svelte';
	import type { OperandMode } from './mode';
	import { modeOf } from './mode';

	let {
		kind,
		exprs,
		field,
		schema,
		type,
		item = false,
		mode: asked,
		label,
		disabled = false,
		onchange
	}: {
		kind: Exclude<OperandKind, 'filter'>;
		exprs: Expr[];
		/** The field that it is compared with; null where a row says nothing of one yet. */
		field: Field | null;
		schema: Schema;
		type: string;
		item?: boolean;
		/** What was asked for where nothing is said yet. */
		mode?: OperandMode;
		label: string;
		disabled?: boolean;
		onchange: (xs: Expr[]) => void;
	} = $props();

	const uid = $props.id();
	const w = useWorkbench();
	const pseudo = (t: Field['type']): Field => ({ id: 'v', label: 'It', group: '', type: t });
	const of = $derived.by((): Field => {
		if (kind === 'day') return pseudo('date');
		if (kind === 'text') return pseudo('text');
		if (kind === 'count' || kind === 'days') return { ...pseudo('number'), places: 0 };
		if (kind === 'option') return { ...field!, type: 'choice' };
		// what it is compared with may be anything a field of its kind may hold, digits beyond its own too
		return field ? { ...field, label: 'It', places: undefined } : pseudo('text');
	});
	/** What is typed stays a calculation while it is typed, whatever it comes to say. */
	let typing = $state(false);
	const mode = $derived(typing ? 'calculation' : modeOf(exprs, of, schema, asked));
	const value = $derived.by((): JsonValue => {
		const [x] = exprs;
		if (kind === 'days') return daysOf(x) === null ? null : String(daysOf(x));
		return constantOf(x, of) ?? null;
	});
	const list = $derived(
		(field?.list ? schema.lists.get(field.list)!.options : [])
			.filter((o) => !o.retired || exprs.some((e) => e.k === 'option' && e.option === o.id))
			.map((o) => ({ value: o.id, label: o.label }))
	);

	function give(v: JsonValue, title?: string) {
		if (typeof v === 'string' && title && of.target)
			w.titles.learn({ [`${of.target}.${v}`]: title });
		if (kind === 'days') {
			const n = Number(v);
			return onchange([Number.isInteger(n) && n > 0 ? daysTree(n) : HOLE]);
		}
		onchange([v === null ? HOLE : constantTree(of, v)]);
	}
	const person = $derived(
		of.type === 'link' && of.target === schema.model.personType
			? [{ label: 'the person making the change', expr: { k: 'env', name: 'person' } as Expr }]
			: of.type === 'date'
				? [{ label: 'today', expr: { k: 'env', name: 'today' } as Expr }]
				: []
	);
</script>

{#if kind === 'values'}
	{#if field?.list}
		<MultiChoose
			{label}
			class="w-full max-w-60"
			{disabled}
			values={exprs.flatMap((e) => (e.k === 'option' ? [e.option] : []))}
			choices={list}
			onpick={(ids) => onchange(ids.map((option) => ({ k: 'option', list: field!.list!, option })))}
		/>
	{:else}
		<Several {exprs} {of} {schema} {label} {disabled} {onchange} />
	{/if}
{:else if mode === 'field'}
	<FieldPick
		value={exprs[0]}
		{schema}
		{type}
		{item}
		{label}
		{disabled}
		open={exprs[0].k === 'hole'}
		accept={(way) =>
			!!way.field &&
			kindOfField(way.field) === kindOfField(of) &&
			way.field.list === of.list &&
			way.field.target === of.target}
		extra={person}
		onpick={(e) => onchange([e])}
	/>
{:else if mode === 'calculation'}
	<div class="min-w-40 grow" onfocusout={() => (typing = false)}>
		<FormulaInput
			{label}
			formula={exprs[0].k === 'hole' ? { text: exprs[0].v ?? '' } : { expr: exprs[0] }}
			{schema}
			{type}
			expected={typeOfField(of)}
			variables={item ? [{ name: 'item', ty: { t: 'record', type } }] : undefined}
			disabled={disabled || item}
			onchange={(f) => {
				typing = true;
				const tree = 'expr' in f ? f.expr : readFormula(f, { schema, type }).compiled?.expr;
				onchange([bare(tree ?? { k: 'hole', v: 'text' in f ? f.text : '' })]);
			}}
		/>
	</div>
{:else}
	<span class="inline-block {['count', 'days'].includes(kind) ? 'w-20' : 'max-w-56 min-w-28'}">
		<ValueInput
			id="{uid}-v"
			field={of}
			{schema}
			{value}
			links={w.titles.all}
			{label}
			{disabled}
			onchange={give}
		/>
	</span>
{/if}
