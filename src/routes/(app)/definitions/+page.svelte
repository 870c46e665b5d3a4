<script lang="ts">
	import type { Definition, FieldType, Use } from '$core';
	import { FIELD_TYPES, sheetOf, usesOf } from '$core';
	import { spell, typeOfField } from '$core/feel/language';
	/** Named expressions that every formula may use, with where they are used. */
	import FormulaInput from '$lib/inputs/FormulaInput.svelte';
	import { TYPE_NAME } from '$lib/words/format';
	import Choose from '$lib/inputs/Choose.svelte';
	import Here from '$lib/shell/Here.svelte';
	import { useWorkbench } from '$lib/work/workbench.svelte';

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
	<Choose
		label="Type of {label}"
		value={of.type}
		{disabled}
		choices={FIELD_TYPES.map((t) => ({ value: t, label: TYPE_NAME[t] }))}
		onpick={(v) => onpick(typed(v as FieldType))}
	/>
	{#if of.type === 'choice' || of.type === 'choices'}<Choose
			label="Option list of {label}"
			value={of.list ?? ''}
			{disabled}
			choices={w.model.lists.map((l) => ({ value: l.id, label: l.label }))}
			onpick={(v) => onpick({ ...typed(of.type), list: v })}
		/>{:else if of.type === 'link'}<Choose
			label="Record type of {label}"
			value={of.target ?? ''}
			{disabled}
			choices={w.model.types.map((t) => ({ value: t.id, label: t.label }))}
			onpick={(v) => onpick({ ...typed(of.type), target: v })}
		/>{/if}
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
				<Here part="definitions.{d.id}" />
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
				<Choose
					label="Record type that {d.name} may read"
					value={d.type ?? ''}
					{disabled}
					choices={[
						{ value: '', label: 'no record: its parameters only' },
						...w.model.types.map((t) => ({ value: t.id, label: t.label }))
					]}
					onpick={(v) => edit(d, 'record type', { type: v || null })}
				/>
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
