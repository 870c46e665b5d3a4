<script lang="ts">
	/** Enters a value of a field. What cannot be read yet stays in the box with the reason below it. */
	import type { Field, JsonValue, Schema, Value } from '$core';
	import { Moment, fromText, toJson, typedMoment } from '$core';
	import { zones } from '../../runtime/zones';
	import Choose from './Choose.svelte';
	import DateInput from './DateInput.svelte';
	import MultiChoose from './MultiChoose.svelte';
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
	const NOTHING = { value: '', label: '—' };
	const YES_NO = [NOTHING, { value: 'yes', label: 'yes' }, { value: 'no', label: 'no' }];
	const choices = $derived(
		options
			.filter((o) => !o.retired || o.id === value || (Array.isArray(value) && value.includes(o.id)))
			.map((o) => ({ value: o.id, label: o.retired ? `${o.label} (retired)` : o.label }))
	);
	const { zone } = $derived(schema.model);
	const ours = (m: Moment) => m.in(zone, zones);
	/** The value as it is typed: a moment on the workspace's clock. */
	const typed = $derived.by(() => {
		if (value === null || typeof value === 'boolean') return '';
		const m = field.type === 'moment' && Moment.fromInstant(Date.parse(String(value)), zone, zones);
		return m ? typedMoment(m, ours) : String(value);
	});
	const shown = $derived(raw ?? typed);
	/** As JSON, with a clock reading as the instant that it means here. */
	const sent = (v: Value) => toJson(v instanceof Moment ? ours(v) : v);

	function read(text: string) {
		raw = text;
		const r = fromText(field, text, schema);
		const message = r.ok ? null : r.message;
		if (message !== fault) onfault?.(message);
		fault = message;
		if (r.ok) onchange(sent(r.value));
	}

	/** The time that stands in the box; a day picked into an empty box begins at nine. */
	const timeOf = (text: string) => /\d{1,2}:\d\d.*$/.exec(text)?.[0] ?? '09:00';

	function settle() {
		if (!fault) raw = null;
	}

	// a value that comes from elsewhere replaces what was typed
	let known = '';
	$effect(() => {
		const now = JSON.stringify(value);
		if (now !== known && raw !== null && !fault) {
			const r = fromText(field, raw, schema);
			if (!r.ok || JSON.stringify(sent(r.value)) !== now) raw = null;
		}
		known = now;
	});

	const tone = $derived(
		fault ? 'border-brick border-2' : touched ? 'border-teal border-b-[3px]' : ''
	);
</script>

{#if field.type === 'yesno'}
	<Choose
		{id}
		class="min-w-20 {tone}"
		{disabled}
		label={label ?? field.label}
		{describedby}
		value={value === true ? 'yes' : value === false ? 'no' : ''}
		choices={YES_NO}
		onpick={(v) => onchange(v === '' ? null : v === 'yes')}
	/>
{:else if field.type === 'choice'}
	<Choose
		{id}
		class="w-full max-w-60 {tone}"
		{disabled}
		label={label ?? field.label}
		{describedby}
		value={typeof value === 'string' ? value : ''}
		choices={[NOTHING, ...choices]}
		onpick={(v) => onchange(v || null)}
	/>
{:else if field.type === 'choices'}
	<MultiChoose
		{id}
		class="w-full max-w-60 {tone}"
		{disabled}
		label={label ?? field.label}
		{describedby}
		values={Array.isArray(value) ? value.map(String) : []}
		{choices}
		onpick={(v) => onchange(v.length ? v : null)}
	/>
{:else if field.type === 'link'}
	<LinkInput
		{id}
		{value}
		{disabled}
		target={field.target!}
		title={typeof value === 'string' ? (links[`${field.target}.${value}`] ?? `No. ${value}`) : ''}
		{onchange}
	/>
{:else if field.type === 'date' || field.type === 'moment'}
	<DateInput
		{id}
		class={tone}
		{disabled}
		label={label ?? field.label}
		invalid={!!fault}
		describedby={fault ? `${id}-fault` : describedby}
		withTime={field.type === 'moment'}
		value={shown}
		oninput={read}
		onleave={settle}
		onpick={(day) => read(field.type === 'moment' ? `${day} ${timeOf(shown)}` : day)}
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
