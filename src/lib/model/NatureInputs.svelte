<script lang="ts">
	/** What has to be said of a field by what it is: its options, its unit, where it links to. */
	import { freeOtherSide, type Field, type Model, type RecordType } from '$core';
	import Choose from '../inputs/Choose.svelte';
	import { KINDS, natureOf, type Nature } from './kinds';

	let {
		nature,
		type,
		model,
		field,
		label,
		faults = {},
		onset
	}: {
		nature: Nature;
		type: RecordType;
		model: Model;
		/** The field, where it is there already. */
		field?: string;
		/** What it is called, by which the other side of a link gets its name. */
		label: string;
		/** What is wrong, by attribute. */
		faults?: Partial<Record<keyof Field, string>>;
		onset: (nature: Nature) => void;
	} = $props();

	const uid = $props.id();
	const kind = $derived(nature.type);
	const free = $derived(
		nature.target
			? freeOtherSide(model, nature.target, { type: type.id, field: field ?? '', label })
			: ''
	);
	/** Choices of the type that may tell a currency. */
	const tellers = $derived(
		type.fields.filter((f) => f.type === 'choice' && !f.retired && f.id !== field)
	);
	const currency = $derived(nature.currencyField ? `=${nature.currencyField}` : 'code');
	const invalid = (attribute: keyof Field) =>
		faults[attribute]
			? { 'aria-invalid': true as const, 'aria-describedby': `${uid}-${attribute}` }
			: {};
</script>

{#snippet wrong(attribute: keyof Field)}
	{#if faults[attribute]}<p id="{uid}-{attribute}" class="text-sm text-brick" role="alert">
			● {faults[attribute]}
		</p>{/if}
{/snippet}

<div class="flex flex-wrap items-end gap-2">
	<span class="text-sm"
		>What it is<br /><Choose
			label="What it is"
			value={kind}
			choices={[...KINDS]}
			class="w-44"
			onpick={(v) => onset(natureOf(v as Field['type'], model))}
		/></span
	>
	{#if kind === 'choice' || kind === 'choices'}
		<span class="text-sm"
			>Options<br /><Choose
				label="Options"
				value={nature.list ?? ''}
				choices={model.lists.map((l) => ({ value: l.id, label: l.label }))}
				class="w-44"
				onpick={(list) => onset({ ...nature, list })}
			/></span
		>
	{:else if kind === 'link'}
		<span class="text-sm"
			>Links to<br /><Choose
				label="Links to"
				value={nature.target ?? ''}
				choices={model.types.map((t) => ({ value: t.id, label: t.label }))}
				class="w-44"
				onpick={(target) => onset({ ...nature, target, inverse: undefined })}
			/></span
		>
		<label class="text-sm"
			>Other side is called<br /><input
				class="box w-44"
				maxlength="80"
				value={nature.inverse ?? ''}
				placeholder={free}
				title="What formulas of the other record call those that link to it; without a name it is called {free}"
				oninput={(e) => onset({ ...nature, inverse: e.currentTarget.value || undefined })}
				{...invalid('inverse')}
			/></label
		>
	{:else if kind === 'number'}
		<label class="text-sm"
			>Unit<br /><input
				class="box w-20"
				maxlength="20"
				value={nature.unit ?? ''}
				placeholder="none"
				oninput={(e) => onset({ ...nature, unit: e.currentTarget.value || undefined })}
				{...invalid('unit')}
			/></label
		>
	{:else if kind === 'money'}
		<span class="text-sm"
			>Currency<br /><Choose
				label="Currency"
				value={currency}
				choices={[
					{ value: 'code', label: 'always the same' },
					...tellers.map((f) => ({ value: `=${f.id}`, label: `as ${f.label} tells` }))
				]}
				class="w-44"
				onpick={(v) =>
					onset(
						v === 'code'
							? { type: kind, currency: 'EUR' }
							: { type: kind, currencyField: v.slice(1) }
					)}
			/></span
		>
		{#if currency === 'code'}<label class="text-sm"
				>Code<br /><input
					class="box mono w-20"
					maxlength="3"
					value={nature.currency ?? 'EUR'}
					oninput={(e) => onset({ ...nature, currency: e.currentTarget.value.toUpperCase() })}
					{...invalid('currency')}
				/></label
			>{/if}
	{/if}
	{#if kind === 'number' || kind === 'percent'}
		<label class="text-sm"
			>Decimals<br /><input
				class="box w-20"
				inputmode="numeric"
				maxlength="2"
				value={nature.places ?? ''}
				placeholder="any"
				title="To how many decimals it is rounded when it is stored; any without a number"
				oninput={(e) => {
					const text = e.currentTarget.value.trim();
					onset({ ...nature, places: text === '' ? undefined : Number(text) });
				}}
				{...invalid('places')}
			/></label
		>
	{/if}
</div>
{@render wrong('list')}
{@render wrong('target')}
{@render wrong('inverse')}
{@render wrong('unit')}
{@render wrong('currency')}
{@render wrong('places')}
