<script lang="ts">
	import { sheetOf } from '$core/model/rules';
	/** Named expressions that every formula may use, with where they are used. */
	import { spell } from '$core/feel/names';
	import { typeOfField } from '$core/feel/types';
	import { FIELD_TYPES, type Definition, type FieldType } from '$core/model/model';
	import { usesOf, type Use } from '$core/plan/uses';
	import FormulaInput from '$lib/FormulaInput.svelte';
	import { TYPE_NAME } from '$lib/format';
	import { useWorkbench } from '$lib/workbench.svelte';

	const w = useWorkbench();
	const list = $derived(w.draft.definitions ?? []);
	const disabled = $derived(!w.canEdit);

	function add() {
		w.setDefinition('new definition', {
			id: `d_${crypto.randomUUID().slice(0, 8)}`,
			name: `Definition ${list.length + 1}`,
			why: '',
			type: null,
			params: [],
			result: null,
			body: { text: '' }
		});
	}
	const edit = (d: Definition, label: string, patch: Partial<Definition>) =>
		w.setDefinition(label, { ...d, ...patch });
	const param = (d: Definition, at: number, patch: Partial<Definition['params'][number]>) =>
		edit(d, `parameter ${at}`, {
			params: d.params.map((p, i) => (i === at ? { ...p, ...patch } : p))
		});
	const typed = (type: FieldType) => ({
		type,
		list: type.startsWith('choice') ? w.model.lists[0]?.id : undefined,
		target: type === 'link' ? w.model.types[0]?.id : undefined
	});
	const href = (u: Use) => {
		if (u.part === 'definition') return `#definition-${u.id}`;
		const r = w.rule(u.id);
		return r ? `/write/${r.type}/${sheetOf(r)}#rule-${u.id}` : '/definitions';
	};
</script>

<svelte:head><title>Definitions · Rigid Rule</title></svelte:head>

{#snippet kind(
	label: string,
	of: { type: FieldType; list?: string; target?: string },
	onpick: (t: ReturnType<typeof typed>) => void
)}
	<select
		class="box"
		aria-label="Type of {label}"
		{disabled}
		value={of.type}
		onchange={(e) => onpick(typed(e.currentTarget.value as FieldType))}
		>{#each FIELD_TYPES as t (t)}<option value={t}>{TYPE_NAME[t]}</option>{/each}</select
	>
	{#if of.type === 'choice' || of.type === 'choices'}<select
			class="box"
			aria-label="Option list of {label}"
			{disabled}
			value={of.list}
			onchange={(e) => onpick({ ...typed(of.type), list: e.currentTarget.value })}
			>{#each w.model.lists as l (l.id)}<option value={l.id}>{l.label}</option>{/each}</select
		>{:else if of.type === 'link'}<select
			class="box"
			aria-label="Record type of {label}"
			{disabled}
			value={of.target}
			onchange={(e) => onpick({ ...typed(of.type), target: e.currentTarget.value })}
			>{#each w.model.types as t (t.id)}<option value={t.id}>{t.label}</option>{/each}</select
		>{/if}
{/snippet}

<div class="max-w-4xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Definitions</h1>
	<p class="mb-3 text-quiet">
		A named expression, written once and used in any formula: a rate, a rule of thumb, a way to
		clean a text. Renaming it changes what people read and never what a rule means.
	</p>
	{#each list as d (d.id)}
		{@const uses = usesOf(w.draft, { definition: d.id })}
		{@const faults = w.found.filter((f) => f.part.kind === 'definition' && f.part.id === d.id)}
		<article class="mb-3 border border-line bg-sheet px-4 py-3" id="definition-{d.id}">
			<div class="flex items-baseline gap-3">
				<input
					class="plain grow font-semibold"
					aria-label="Name of the definition"
					value={d.name}
					{disabled}
					maxlength="100"
					oninput={(e) => edit(d, 'name', { name: e.currentTarget.value })}
				/>
				{#if !disabled}<button
						class="textlink text-sm text-brick disabled:text-quiet"
						disabled={uses.length > 0}
						title={uses.length ? 'Formulas use it' : ''}
						onclick={() => w.removePart('definition', d.id)}>Remove</button
					>{/if}
			</div>
			<input
				class="plain w-full text-sm text-quiet"
				aria-label="Why the definition exists"
				placeholder="One line on why it exists"
				value={d.why}
				{disabled}
				maxlength="1000"
				oninput={(e) => edit(d, 'why', { why: e.currentTarget.value })}
			/>
			<p class="mono mt-2 text-sm text-quiet">
				{spell(d.name)}{d.params.length ? `(${d.params.map((p) => p.name).join(', ')})` : ''} =
			</p>
			<FormulaInput
				label="Expression of {d.name}"
				formula={d.body}
				schema={w.schema}
				type={d.type}
				variables={d.params.map((p) => ({ name: p.name, ty: typeOfField(p) }))}
				expected={d.result ? typeOfField(d.result) : undefined}
				{disabled}
				onchange={(body) => edit(d, 'expression', { body })}
			/>
			<div class="mt-1 flex flex-wrap items-center gap-2 text-sm">
				<span class="text-quiet">Parameters</span>
				{#each d.params as p, i (i)}
					<span class="inline-flex items-center gap-1">
						<input
							class="box mono w-28"
							aria-label="Name of parameter {i + 1}"
							value={p.name}
							{disabled}
							oninput={(e) => param(d, i, { name: e.currentTarget.value })}
						/>
						{@render kind(p.name, p, (t) => param(d, i, t))}
						{#if !disabled}<button
								class="tiny"
								aria-label="Remove parameter {p.name}"
								onclick={() => edit(d, 'parameter', { params: d.params.filter((_, k) => k !== i) })}
								>✕</button
							>{/if}
					</span>
				{/each}
				{#if !disabled}<button
						class="textlink"
						onclick={() =>
							edit(d, 'parameter', {
								params: [...d.params, { name: `p${d.params.length + 1}`, type: 'number' }]
							})}>Add a parameter</button
					>{/if}
			</div>
			<div class="mt-1 flex flex-wrap items-center gap-2 text-sm">
				<span class="text-quiet">May read fields of</span>
				<select
					class="box"
					aria-label="Record type that {d.name} may read"
					{disabled}
					value={d.type ?? ''}
					onchange={(e) => edit(d, 'record type', { type: e.currentTarget.value || null })}
					><option value="">no record: its parameters only</option
					>{#each w.model.types as t (t.id)}<option value={t.id}>{t.label}</option>{/each}</select
				>
				<span class="text-quiet">Gives</span>
				{#if d.result}{@render kind('the result', d.result, (t) =>
						edit(d, 'result', { result: t })
					)}
					{#if !disabled}<button
							class="textlink"
							onclick={() => edit(d, 'result', { result: null })}>as it comes</button
						>{/if}
				{:else}<button
						class="textlink"
						{disabled}
						onclick={() => edit(d, 'result', { result: { type: 'number' } })}
						>what the expression gives</button
					>{/if}
			</div>
			{#each faults as f (f.id)}<p class="mt-1 text-sm text-brick">● {f.message}</p>{/each}
			<p class="mt-2 border-t border-hairline pt-1 text-sm">
				<span class="text-quiet">Used by</span>
				{#each uses as u, i (u.part + u.id)}{i ? ' · ' : ' '}<a class="word reads" href={href(u)}
						>{u.name}</a
					>{:else}
					nothing yet{/each}
			</p>
		</article>
	{:else}
		<p class="border border-dashed border-line px-4 py-6">
			No definition yet. Make one for an expression that several formulas share.
		</p>
	{/each}
	{#if w.canEdit}<button class="button main mt-2" onclick={add}>New definition</button>{/if}
</div>

<style>
	.plain {
		background: none;
		border: 0;
		min-height: 24px;
	}
	.tiny {
		min-width: 24px;
		min-height: 24px;
	}
</style>
