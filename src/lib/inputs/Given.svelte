<script lang="ts">
	/**
	 * What something gets, as a word and what it needs: a value that is picked, another field, what was
	 * before, today, who makes the change, what is told from related records, or a calculation.
	 */
	import { untrack } from 'svelte';
	import type { Begins, CaseGives, Expr, Field, JsonValue, Schema } from '$core';
	import {
		HOLE,
		ROLLUPS,
		constantTree,
		kindOfField,
		rollupFits,
		rollupLabel,
		rollupOf,
		rollupTree,
		waysFrom,
		type Rollup,
		type RollupHow
	} from '$core';
	import { bare, readFormula } from '$core/feel/language';
	import Word, { type Choice } from '../words/Word.svelte';
	import { useWorkbench } from '../work/workbench.svelte';
	import FieldPick from './FieldPick.svelte';
	import ValueInput from './ValueInput.svelte';
	import { constantIn, wayOf, type Way } from './given';

	let {
		given,
		field,
		schema,
		type,
		label,
		outcomes = [],
		begin = null,
		disabled = false,
		onchange
	}: {
		given: CaseGives;
		/** The field that gets it. */
		field: Field;
		schema: Schema;
		/** Record type whose fields it speaks of. */
		type: string;
		/** What it is for, for those who do not see where it stands. */
		label: string;
		/** What may be said instead of a value. */
		outcomes?: readonly { value: 'nothing' | 'leave' | 'clear'; label: string }[];
		/** It was just begun, with this. */
		begin?: Begins | null;
		disabled?: boolean;
		onchange: (g: CaseGives) => void;
	} = $props();

	const uid = $props.id();
	const w = useWorkbench();
	const expr = $derived<Expr | null>(
		typeof given === 'object' ? ('expr' in given ? given.expr : null) : null
	);
	const constant = $derived(constantIn(expr, field));
	const rollup = $derived(expr && rollupOf(expr, schema));
	/** What was chosen where nothing is said yet. */
	let chosen = $state<Way | null>(
		untrack(() => {
			if (begin === 'related')
				return field.type === 'date' || field.type === 'moment' ? 'related max' : 'related count';
			const known: readonly string[] = ['value', 'field', 'before', 'calculation'];
			return begin && known.includes(begin) ? (begin as Way) : null;
		})
	);
	const way = $derived(wayOf(given, field, schema, chosen));
	const hasRelated = $derived(
		['number', 'money', 'percent', 'date', 'moment', 'text'].includes(field.type) &&
			waysFrom(schema, type).some((x) => x.related)
	);
	const hows = $derived(
		ROLLUPS.filter((h) =>
			h === 'count'
				? ['number', 'money', 'percent', 'text'].includes(field.type)
				: rollupFits(h, field) || (h === 'string join' && kindOfField(field) === 'text')
		).map((h) => ({ value: `related ${h}`, label: rollupLabel(h, field) }))
	);
	const choices = $derived.by((): Choice[] => {
		const out: Choice[] = [
			{ value: 'value', label: 'the value' },
			{ value: 'field', label: 'the field' }
		];
		if (field.type === 'date') out.push({ value: 'today', label: 'the day of the change' });
		if (field.type === 'moment') out.push({ value: 'now', label: 'the moment of the change' });
		if (field.type === 'link' && field.target === schema.model.personType)
			out.push({ value: 'person', label: 'the person making the change' });
		if (hasRelated) out.push(...hows.map((h) => ({ ...h, help: 'told by related records' })));
		out.push(
			{ value: 'before', label: 'the value before the change of' },
			{ value: 'entered', label: 'what was entered into' },
			{ value: 'calculation', label: 'the calculation' },
			...outcomes
		);
		return out;
	});

	const tell = (e: Expr) => onchange({ expr: bare(e) });
	function choose(v: string) {
		chosen = v as Way;
		if (v === 'nothing' || v === 'leave' || v === 'clear') return onchange(v);
		if (v === 'today' || v === 'now' || v === 'person') return tell({ k: 'env', name: v });
		// a calculation begins with what is said already
		if (v === 'calculation')
			return onchange({
				text: expr && expr.k !== 'hole' ? readFormula({ expr }, { schema, type }).text : ''
			});
		if (v.startsWith('related ')) {
			const how = v.slice(8) as RollupHow;
			if (rollup) {
				const keeps = told && rollupFits(how, told);
				return retell({ how, field: keeps ? rollup.field : null });
			}
			const [first, ...more] = waysFrom(schema, type).filter((x) => x.related && !x.through.length);
			return tell(
				first && !more.length
					? rollupTree({ how, related: first.expr, filter: null, field: null })
					: HOLE
			);
		}
		tell(HOLE);
	}
	function give(v: JsonValue, title?: string) {
		if (typeof v === 'string' && title && field.target)
			w.titles.learn({ [`${field.target}.${v}`]: title });
		tell(v === null ? HOLE : constantTree(field, v));
	}
	const fits = (f: Field | null) =>
		!!f &&
		kindOfField(f) === kindOfField(field) &&
		f.list === field.list &&
		f.target === field.target;
	const retell = (patch: Partial<Rollup>) =>
		tell(
			rollupTree({
				...(rollup ?? { how: 'count', related: HOLE, filter: null, field: null }),
				...patch
			})
		);
	const told = $derived(
		rollup?.field && rollup.related.k === 'related'
			? (schema.field(rollup.related.type, rollup.field) ?? null)
			: null
	);
	/** How records are told of. */
	const how = $derived(
		rollup?.how ?? (way.startsWith('related ') ? (way.slice(8) as RollupHow) : 'count')
	);
</script>

<span class="inline-flex flex-wrap items-baseline gap-x-1">
	<Word {label} value={way} {choices} {disabled} onpick={choose} />{#if way === 'value'}
		<span class="inline-block max-w-64 min-w-24 align-middle">
			<ValueInput
				id="{uid}-v"
				{field}
				{schema}
				value={constant ?? null}
				links={w.titles.all}
				label="{label}: value"
				{disabled}
				onchange={give}
			/>
		</span>
	{:else if way === 'field'}
		<FieldPick
			look="word"
			tone="reads"
			value={expr ?? HOLE}
			{schema}
			{type}
			label="{label}: field"
			open={chosen === 'field'}
			{disabled}
			accept={(x) => fits(x.field)}
			onpick={tell}
		/>
	{:else if way === 'before' || way === 'entered'}
		<FieldPick
			look="word"
			tone="reads"
			value={expr?.k === 'field' ? { ...expr, image: 'settled' } : HOLE}
			{schema}
			{type}
			label="{label}: field"
			open={chosen !== null}
			{disabled}
			accept={(x) => !x.through.length && fits(x.field)}
			onpick={(e) => {
				if (e.k === 'field') tell({ ...e, image: way === 'before' ? 'was' : 'sent' });
			}}
		/>
	{:else if way.startsWith('related')}
		{#if rollup && rollup.how !== 'count'}
			<FieldPick
				look="word"
				tone="reads"
				value={rollup.field && rollup.related.k === 'related'
					? {
							k: 'through',
							of: { k: 'var', name: 'item' },
							type: rollup.related.type,
							field: rollup.field
						}
					: HOLE}
				{schema}
				type={rollup.related.k === 'related' ? rollup.related.type : type}
				item
				label="{label}: which field is told"
				open={rollup.field === null}
				{disabled}
				accept={(x) => !x.through.length && !!x.field && rollupFits(rollup!.how, x.field)}
				onpick={(_, f) => f && retell({ field: f.id })}
			/>
			of
		{/if}
		the
		<FieldPick
			look="word"
			tone="reads"
			value={rollup?.related ?? HOLE}
			{schema}
			{type}
			label="{label}: which records"
			ask="which records?"
			open={!!chosen?.startsWith('related') && !rollup}
			{disabled}
			accept={(x) => !!x.related}
			onpick={(e) => tell(rollupTree({ how, related: e, filter: null, field: null }))}
		/>
	{/if}</span
>
