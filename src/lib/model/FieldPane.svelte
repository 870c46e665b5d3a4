<script lang="ts">
	/** Everything about one field: what it is called and is, where it is shown, what speaks of it. */
	import { goto } from '$app/navigation';
	import {
		KEY_TYPES,
		freeOtherSide,
		withField,
		withType,
		withoutField,
		type Field,
		type ModelFault,
		type RecordType
	} from '$core';
	import { describeField, formatCount } from '../words/format';
	import Choose from '../inputs/Choose.svelte';
	import { tell } from '../shell/notices';
	import { useWorkbench } from '../work/workbench.svelte';
	import Going from './Going.svelte';
	import NameBox from './NameBox.svelte';
	import Retype from './Retype.svelte';
	import Speakers from './Speakers.svelte';

	let {
		type,
		field,
		held
	}: {
		type: RecordType;
		field: Field;
		/** How many records of the type there are, and how many hold a value here; null until it is known. */
		held: { records: number; held: number } | null;
	} = $props();

	const w = useWorkbench();
	let retyping = $state(false);
	let removing = $state(false);
	let going = $state(false);
	let fault = $state('');
	const off = $derived(!w.canEdit);
	const part = $derived({ is: 'field' as const, type: type.id, field: field.id });

	async function put(
		label: string,
		change: Partial<Omit<Field, 'id'>>
	): Promise<readonly ModelFault[]> {
		return w.editModel(label, withField(w.model, type.id, field.id, change));
	}
	/** For what has no box of its own to say what is wrong. */
	async function plainly(label: string, change: Partial<Omit<Field, 'id'>>) {
		const [first] = await put(label, change);
		fault = first?.message ?? '';
	}
	async function show(form: 'short' | 'columns', on: boolean) {
		const ids = type[form].filter((id) => id !== field.id);
		const label = form === 'short' ? 'short form' : 'columns of the list';
		const next = withType(w.model, type.id, { [form]: on ? [...ids, field.id] : ids });
		const [first] = await w.editModel(label, next);
		fault = first?.message ?? '';
	}
	async function remove() {
		const lost = held?.held ?? 0;
		// once it is gone there is nothing to ask any more
		const { id, label } = type;
		const name = field.label;
		going = true;
		const [first] = await w.editModel(`${name} removed`, withoutField(w.model, id, field.id), lost);
		going = false;
		fault = first?.message ?? '';
		if (first) return;
		tell(`${name} is removed from ${label}.`);
		await goto(`/model/${id}`);
	}
	const tellers = $derived(type.fields.filter((f) => f.type === 'choice' && !f.retired));
	const number = (text: string) => (text === '' ? undefined : Number(text));
</script>

<div class="flex items-baseline justify-between gap-2">
	<h2 class="text-lg">{field.label}</h2>
	<a class="textlink text-sm" href="/write/{type.id}/{field.id}">Its rules</a>
</div>
<p
	class="mono text-xs text-quiet"
	title="Its identity never changes: rules, imports and the API go by it"
>
	{field.id}
</p>

<div class="mt-3 grid grid-cols-[88px_minmax(0,1fr)] items-baseline gap-x-2 gap-y-2 text-sm">
	<span>Name</span>
	<NameBox
		value={field.label}
		label="Name of {field.label}"
		disabled={off}
		onstore={(label) => put('name', { label })}
	/>
	<span>Heading</span>
	<NameBox
		value={field.group}
		label="Heading of {field.label}"
		list="headings"
		disabled={off}
		onstore={(group) => put('heading', { group })}
	/>
	<span>What it is</span>
	<span class="flex flex-wrap items-baseline gap-x-3">
		<span>{describeField(field, w.schema)}</span>
		{#if field.list}<a class="textlink" href="/options/{field.list}">Its options</a>{/if}
		{#if w.canEdit && !retyping}<button class="textlink" onclick={() => (retyping = true)}
				>Another type …</button
			>{/if}
	</span>
	{#if field.type === 'number'}
		<span>Unit</span>
		<NameBox
			class="w-24"
			value={field.unit ?? ''}
			label="Unit of {field.label}"
			placeholder="none"
			max={20}
			disabled={off}
			onstore={(unit) => put('unit', { unit: unit || undefined })}
		/>
	{/if}
	{#if field.type === 'number' || field.type === 'percent'}
		<span>Decimals</span>
		<NameBox
			class="w-24"
			value={field.places === undefined ? '' : String(field.places)}
			label="Decimals of {field.label}"
			placeholder="any"
			max={2}
			disabled={off}
			onstore={(places) => put('decimals', { places: number(places) })}
		/>
	{:else if field.type === 'money'}
		<span>Currency</span>
		<span class="flex flex-wrap gap-2">
			<Choose
				label="Currency of {field.label}"
				value={field.currencyField ? `=${field.currencyField}` : 'code'}
				choices={[
					{ value: 'code', label: 'always the same' },
					...tellers.map((f) => ({ value: `=${f.id}`, label: `as ${f.label} tells` }))
				]}
				disabled={off}
				onpick={(v) =>
					void plainly(
						'currency',
						v === 'code'
							? { currency: field.currency ?? 'EUR', currencyField: undefined }
							: { currencyField: v.slice(1), currency: undefined }
					)}
			/>
			{#if !field.currencyField}<NameBox
					class="w-16"
					value={field.currency ?? 'EUR'}
					label="Currency code of {field.label}"
					max={3}
					disabled={off}
					onstore={(code) => put('currency', { currency: code.toUpperCase() })}
				/>{/if}
		</span>
	{:else if field.type === 'link'}
		<span>Other side</span>
		<NameBox
			value={field.inverse ?? ''}
			label="Other side of {field.label}"
			placeholder={freeOtherSide(w.model, field.target!, {
				type: type.id,
				field: field.id,
				label: field.label
			})}
			disabled={off}
			onstore={(inverse) => put('other side', { inverse: inverse || undefined })}
		/>
		<span>If that goes</span>
		<Choose
			label="When the record it links to is deleted"
			value={field.whenDeleted ?? 'refuse'}
			choices={[
				{ value: 'refuse', label: 'its deletion is refused' },
				{ value: 'blank', label: 'this becomes blank' }
			]}
			disabled={off}
			onpick={(v) => void plainly('deletion', { whenDeleted: v === 'blank' ? 'blank' : undefined })}
		/>
	{/if}
	<span>Shown</span>
	<span class="flex flex-wrap gap-x-4">
		<label class="flex min-h-6 items-center gap-1"
			><input
				type="checkbox"
				checked={type.short.includes(field.id)}
				disabled={off || field.retired}
				onchange={(e) => void show('short', e.currentTarget.checked)}
			/>on the short form</label
		>
		<label class="flex min-h-6 items-center gap-1"
			><input
				type="checkbox"
				checked={type.columns.includes(field.id)}
				disabled={off || field.retired}
				onchange={(e) => void show('columns', e.currentTarget.checked)}
			/>in the list</label
		>
	</span>
	{#if KEY_TYPES.includes(field.type)}
		<span>Key</span>
		<label
			class="flex min-h-6 items-center gap-1"
			title="Imports and the API may give links by its value"
			><input
				type="checkbox"
				checked={!!field.key}
				disabled={off}
				onchange={(e) =>
					void plainly('key', {
						key: e.currentTarget.checked || undefined,
						...(e.currentTarget.checked ? {} : { unique: undefined })
					})}
				aria-label="{field.label} is a key"
			/>other systems know the record by it</label
		>
		{#if field.key}
			<span>One of each</span>
			<label
				class="flex min-h-6 items-center gap-1"
				title="Whoever saves a second one is refused, on every road, and hears which record has it"
				><input
					type="checkbox"
					checked={!!field.unique}
					disabled={off}
					onchange={(e) => {
						const box = e.currentTarget;
						void plainly('one of each', { unique: box.checked || undefined }).then(
							// where records hold doubles it stays as it was
							() => (box.checked = !!field.unique)
						);
					}}
					aria-label="No two {type.plural.toLowerCase()} have the same {field.label}"
				/>no two {type.plural.toLowerCase()} have the same</label
			>
		{/if}
	{/if}
	<span>Held by</span>
	<span
		>{#if held}{formatCount(held.held)} of {formatCount(held.records)}
			{type.plural.toLowerCase()}{:else}<span class="text-quiet">not yet known</span>{/if}</span
	>
</div>

{#if retyping}
	<div class="mt-3">
		{#key `${field.id} ${field.type} ${field.list}`}
			<Retype {type} {field} onclose={() => (retyping = false)} />
		{/key}
	</div>
{/if}

<h3 class="mt-4 text-base">What speaks of it</h3>
<Speakers {part} />

{#if fault}<p class="mt-3 text-sm text-brick" role="alert">● {fault}</p>{/if}
{#if w.canEdit}
	<div class="mt-4 flex flex-wrap items-center gap-3 border-t border-hairline pt-3">
		{#if field.retired}
			<button class="button" onclick={() => void plainly('taken back', { retired: undefined })}
				>Take it back</button
			>
		{:else}
			<button
				class="button"
				title="It stays readable where it holds something, and is offered nowhere"
				onclick={() => void plainly('retired', { retired: true })}>Retire it</button
			>
		{/if}
		{#if !removing}<button class="textlink" onclick={() => (removing = true)}>Remove it …</button
			>{/if}
	</div>
	{#if removing}
		<div class="mt-3 border border-brick bg-brick-wash p-3 text-sm">
			<p>
				{#if held?.held}
					<strong>{formatCount(held.held)} {type.plural.toLowerCase()} hold a value in it.</strong> The
					values stay in the history of their records and nowhere else, and no undo brings them back.
					Retired, it would keep them.
				{:else if held}
					No record holds a value in it.
				{:else}
					How many records hold a value in it is not yet known.
				{/if}
			</p>
			<Going values={held?.held ?? 0} busy={going} />
			<div class="mt-2 flex gap-3">
				<button class="button" disabled={!held || going} onclick={() => void remove()}
					>{held?.held ? `Remove it and lose ${formatCount(held.held)}` : 'Remove it'}</button
				>
				<button class="textlink" onclick={() => (removing = false)}>Keep it</button>
			</div>
		</div>
	{/if}
{/if}
