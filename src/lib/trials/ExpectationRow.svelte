<script lang="ts" module>
	import type { Expectation, JsonValue, Schema } from '$core';

	/** What can be expected, as it is chosen. */
	export const KINDS = {
		is: 'is',
		not: 'is not',
		stays: 'stays as it is',
		required: 'is required',
		'not required': 'is not required',
		hidden: 'is hidden',
		'not hidden': 'is not hidden',
		'read-only': 'is set by rules only',
		'not read-only': 'can be set by hand',
		offered: 'offers the option',
		'not offered': 'does not offer the option',
		advised: 'is advised on',
		'not advised': 'is not advised on'
	} as const;
	export type Kind = keyof typeof KINDS;

	/** How a row of a field is shown; null for what is about no field. */
	export function kindOf(x: Expectation): Kind | null {
		if ('value' in x) return x.not ? 'not' : 'is';
		if ('stays' in x) return 'stays';
		if ('state' in x) return `${x.is ? '' : 'not '}${x.state}` as Kind;
		if ('option' in x) return x.offered ? 'offered' : 'not offered';
		if ('advised' in x) return x.advised ? 'advised' : 'not advised';
		return null;
	}

	/** The same expectation of a field, of another kind. */
	export function asKind(
		field: string,
		kind: Kind,
		value: JsonValue,
		schema: Schema,
		type: string
	): Expectation {
		switch (kind) {
			case 'is':
				return { field, value };
			case 'not':
				return { field, value, not: true };
			case 'stays':
				return { field, stays: true };
			case 'offered':
			case 'not offered': {
				const list = schema.field(type, field)?.list;
				const [first] = list ? schema.lists.get(list)!.options : [];
				const option =
					typeof value === 'string' && list && schema.option(list, value) ? value : first.id;
				return { field, option, offered: kind === 'offered' };
			}
			case 'advised':
			case 'not advised':
				return { field, advised: kind === 'advised' };
			default: {
				const is = !kind.startsWith('not ');
				return {
					field,
					state: kind.replace('not ', '') as 'required' | 'hidden' | 'read-only',
					is
				};
			}
		}
	}
</script>

<script lang="ts">
	/** One thing that a trial expects, as words that can be chosen. */
	import Without from '../inputs/Without.svelte';
	import Choose from '../inputs/Choose.svelte';
	import ValueInput from '../inputs/ValueInput.svelte';

	let {
		expectation: x,
		type,
		schema,
		links = {},
		said,
		name,
		disabled = false,
		onchange,
		onremove
	}: {
		expectation: Expectation;
		type: string;
		schema: Schema;
		links?: Record<string, string>;
		/** What it says in words, for what is shown as it stands. */
		said: string;
		/** Tells it from the others for who does not see them. */
		name: string;
		disabled?: boolean;
		onchange: (x: Expectation) => void;
		onremove: () => void;
	} = $props();

	const kind = $derived(kindOf(x));
	/** The other record that it is of. */
	const other = $derived('value' in x ? (x.at ?? null) : null);
	const of = $derived(other?.type ?? type);
	const field = $derived(
		'field' in x && x.field !== undefined ? schema.field(of, x.field) : undefined
	);
	const choices = $derived(
		Object.entries(KINDS)
			.filter(([k]) => field?.list || !k.includes('offered'))
			// of another record its values alone
			.filter(([k]) => !other || k === 'is' || k === 'not')
			.map(([value, label]) => ({ value, label }))
	);
	const value = $derived('value' in x ? x.value : 'option' in x ? x.option : null);
</script>

<div class="flex flex-wrap items-center gap-2 py-1">
	{#if kind && field}
		{#if other}
			<span class="text-quiet"
				>{links[`${other.type}.${other.id}`] ??
					`the ${schema.type(other.type).type.label.toLowerCase()} at hand`}:</span
			>
			<Choose
				value={field.id}
				choices={schema.type(of).type.fields.map((f) => ({ value: f.id, label: f.label }))}
				label="Field of the other record, {name}"
				{disabled}
				onpick={(id) => onchange({ field: id, value: null, at: other })}
			/>
		{:else}<span class="min-w-36 font-semibold">{field.label}</span>{/if}
		<Choose
			value={kind}
			{choices}
			label="What is expected of {field.label}, {name}"
			{disabled}
			onpick={(k) => {
				const as = asKind(field.id, k as Kind, value, schema, of);
				onchange(other ? { ...as, at: other } : as);
			}}
		/>
		{#if 'value' in x}
			<div class="min-w-40 grow">
				<ValueInput
					{field}
					{schema}
					{links}
					{disabled}
					value={x.value}
					id="{name}-value"
					label="Expected value of {field.label}, {name}"
					onchange={(v) => onchange({ ...x, value: v })}
				/>
			</div>
		{:else if 'option' in x}
			<Choose
				value={x.option}
				choices={schema.lists
					.get(field.list!)!
					.options.map((o) => ({ value: o.id, label: o.label }))}
				label="Option of {field.label}, {name}"
				{disabled}
				onpick={(option) => onchange({ ...x, option })}
			/>
		{:else if 'advised' in x && x.advised}
			<input
				class="box min-w-40 grow"
				{disabled}
				aria-label="Words of the advice, {name}"
				placeholder="whatever it says"
				value={x.text ?? ''}
				onchange={(e) => onchange({ ...x, text: e.currentTarget.value || undefined })}
			/>
		{/if}
	{:else if 'refused' in x}
		<Choose
			value={x.refused ? 'yes' : 'no'}
			choices={[
				{ value: 'yes', label: 'The change is refused' },
				{ value: 'no', label: 'The change is not refused' }
			]}
			label="Whether it is refused, {name}"
			{disabled}
			onpick={(v) => onchange({ ...x, refused: v === 'yes' })}
		/>
		<span class="text-quiet">at</span>
		<Choose
			value={x.field ?? ''}
			choices={[
				{ value: '', label: 'any field' },
				...schema.type(type).type.fields.map((f) => ({ value: f.id, label: f.label }))
			]}
			label="Field at which it is refused, {name}"
			{disabled}
			onpick={(f) => onchange({ ...x, field: f || undefined })}
		/>
		{#if x.refused}<input
				class="box min-w-40 grow"
				{disabled}
				aria-label="Words of the message, {name}"
				placeholder="whatever it says"
				value={x.text ?? ''}
				onchange={(e) => onchange({ ...x, text: e.currentTarget.value || undefined })}
			/>{/if}
	{:else if 'messages' in x}
		<input
			class="box w-16"
			type="number"
			min="0"
			{disabled}
			aria-label="How many messages leave, {name}"
			value={x.messages}
			onchange={(e) =>
				onchange({ ...x, messages: Math.max(0, Math.trunc(Number(e.currentTarget.value)) || 0) })}
		/>
		<span>{x.messages === 1 ? 'message leaves' : 'messages leave'} to</span>
		<input
			class="box min-w-32 grow"
			{disabled}
			aria-label="Address, {name}"
			placeholder="anybody"
			value={x.to ?? ''}
			onchange={(e) => onchange({ ...x, to: e.currentTarget.value || undefined })}
		/>
		<span class="text-quiet">about</span>
		<input
			class="box min-w-32 grow"
			{disabled}
			aria-label="Words of the subject, {name}"
			placeholder="anything"
			value={x.subject ?? ''}
			onchange={(e) => onchange({ ...x, subject: e.currentTarget.value || undefined })}
		/>
	{:else if 'rule' in x}
		<span class="grow">{said.replace(/ writes( nothing)?$/, '')}</span>
		<Choose
			value={x.writes ? 'yes' : 'no'}
			choices={[
				{ value: 'no', label: 'writes nothing' },
				{ value: 'yes', label: 'writes' }
			]}
			label="Whether the rule writes, {name}"
			{disabled}
			onpick={(v) => onchange({ ...x, writes: v === 'yes' })}
		/>
	{:else}
		<!-- about a field that is gone: shown as it stands -->
		<span>{said}</span>
	{/if}
	{#if !disabled}<Without label="No longer expect this, {name}" onclick={onremove} />{/if}
</div>
