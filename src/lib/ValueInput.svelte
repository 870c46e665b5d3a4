<script lang="ts">
	/** Enters a value of a field. What cannot be read yet stays in the box with the reason below it. */
	import { fromText, toJson, type JsonValue } from '$core/model/codec';
	import type { Field, Schema } from '$core/model/model';
	import LinkInput from './LinkInput.svelte';

	let {
		field,
		schema,
		value,
		id,
		links = {},
		touched = false,
		disabled = false,
		describedby,
		label,
		only,
		onchange,
		onfault
	}: {
		field: Field;
		schema: Schema;
		value: JsonValue;
		id: string;
		links?: Record<string, string>;
		/** Marks a value that is being tried. */
		touched?: boolean;
		disabled?: boolean;
		describedby?: string;
		/** The options left, where a rule limits them. */
		only?: readonly string[];
		/** Its name, where no label element points to it. */
		label?: string;
		onchange: (v: JsonValue, title?: string) => void;
		/** Told when the box comes to hold something that cannot be read, and when that is over. */
		onfault?: (message: string | null) => void;
	} = $props();

	let raw = $state<string | null>(null);
	let fault = $state<string | null>(null);
	const options = $derived(
		(field.list ? schema.lists.get(field.list)!.options : []).filter(
			(o) =>
				!only ||
				only.includes(o.id) ||
				(Array.isArray(value) ? value.includes(o.id) : o.id === value)
		)
	);
	const shown = $derived(
		raw ?? (value === null || typeof value === 'boolean' ? '' : String(value))
	);

	function read(text: string) {
		raw = text;
		const r = fromText(field, text, schema);
		const message = r.ok ? null : r.message;
		if (message !== fault) onfault?.(message);
		fault = message;
		if (r.ok) onchange(toJson(r.value));
	}

	function settle() {
		if (!fault) raw = null;
	}

	// a value that comes from elsewhere replaces what was typed
	let known = '';
	$effect(() => {
		const now = JSON.stringify(value);
		if (now !== known && raw !== null && !fault) {
			const r = fromText(field, raw, schema);
			if (!r.ok || JSON.stringify(toJson(r.value)) !== now) raw = null;
		}
		known = now;
	});

	const tone = $derived(
		fault ? 'border-brick border-2' : touched ? 'border-teal border-b-[3px]' : ''
	);
</script>

{#if field.type === 'yesno'}
	<select
		{id}
		class="box {tone}"
		{disabled}
		aria-label={label}
		aria-describedby={describedby}
		value={value === true ? 'yes' : value === false ? 'no' : ''}
		onchange={(e) =>
			onchange(e.currentTarget.value === '' ? null : e.currentTarget.value === 'yes')}
	>
		<option value="">—</option>
		<option value="yes">yes</option>
		<option value="no">no</option>
	</select>
{:else if field.type === 'choice'}
	<select
		{id}
		class="box w-full max-w-60 {tone}"
		{disabled}
		aria-label={label}
		aria-describedby={describedby}
		value={value ?? ''}
		onchange={(e) => onchange(e.currentTarget.value || null)}
	>
		<option value="">—</option>
		{#each options as o (o.id)}
			{#if !o.retired || o.id === value}
				<option value={o.id}>{o.label}{o.retired ? ' (retired)' : ''}</option>
			{/if}
		{/each}
	</select>
{:else if field.type === 'choices'}
	<details class="box relative w-full max-w-60 {tone}">
		<summary class="cursor-pointer" {id}>
			{Array.isArray(value) && value.length
				? value.map((v) => schema.option(field.list!, v)?.label ?? v).join(', ')
				: '—'}
		</summary>
		<fieldset class="pt-1" {disabled}>
			<legend class="sr-only">{field.label}</legend>
			{#each options as o (o.id)}
				<label class="flex min-h-6 items-center gap-2">
					<input
						type="checkbox"
						checked={Array.isArray(value) && value.includes(o.id)}
						onchange={(e) => {
							const had = Array.isArray(value) ? value : [];
							const next = e.currentTarget.checked ? [...had, o.id] : had.filter((x) => x !== o.id);
							onchange(next.length ? next : null);
						}}
					/>
					{o.label}
				</label>
			{/each}
		</fieldset>
	</details>
{:else if field.type === 'link'}
	<LinkInput
		{id}
		{value}
		{disabled}
		target={field.target!}
		title={typeof value === 'string' ? (links[`${field.target}.${value}`] ?? `No. ${value}`) : ''}
		{onchange}
	/>
{:else if field.type === 'date'}
	<input
		type="date"
		{id}
		class="box mono {tone}"
		{disabled}
		aria-label={label}
		aria-describedby={describedby}
		value={typeof value === 'string' ? value : ''}
		onchange={(e) => onchange(e.currentTarget.value || null)}
	/>
{:else}
	<input
		{id}
		class="box w-full {tone} {['number', 'money', 'percent'].includes(field.type)
			? 'mono max-w-40'
			: ''}"
		{disabled}
		autocomplete="off"
		inputmode={['number', 'money', 'percent'].includes(field.type) ? 'decimal' : undefined}
		aria-label={label}
		aria-invalid={!!fault}
		aria-describedby={fault ? `${id}-fault` : describedby}
		value={shown}
		oninput={(e) => read(e.currentTarget.value)}
		onblur={settle}
	/>
{/if}
{#if fault}<p id="{id}-fault" class="mt-0.5 text-xs text-brick" role="alert">● {fault}</p>{/if}
