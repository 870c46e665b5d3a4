<script lang="ts">
	/** What is to be done to many records: a value, a copy or calculation, what history gives, or the standing rules; looked at first. */
	import { tick } from 'svelte';
	import { goto } from '$app/navigation';
	import { compilePlan, eventFields, type Formula, type JsonValue } from '$core';
	import { typeOfField } from '$core/feel/language';
	import { MOST_BULK, type BulkAsked, type BulkDoes } from '$door/bulk';
	import type { ListAsked } from '$door/lists';
	import Choose from '../inputs/Choose.svelte';
	import FieldOrFormula from '../inputs/FieldOrFormula.svelte';
	import ValueInput from '../inputs/ValueInput.svelte';
	import { formatCount } from '../words/format';
	import { Refused, ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';
	import { sayOrder } from './words';

	let {
		type,
		list,
		ticked,
		count,
		tooMany
	}: {
		type: string;
		list: ListAsked;
		ticked: readonly string[];
		/** How many records the list has, as far as that is known. */
		count: string | null;
		/** The list is known to have more than can be changed at once. */
		tooMany: boolean;
	} = $props();

	const w = useWorkbench();
	const { plural, fields } = $derived(w.schema.type(type).type);
	const open = $derived(fields.filter((f) => !f.retired));
	/** Those that rules hold at a value. */
	const held = $derived(
		open.filter((f) =>
			w.force.set.rules.some((r) =>
				r.outputs.some(
					(o) => r.type === type && o.field === f.id && ['locked', 'follow'].includes(o.hold)
				)
			)
		)
	);
	let box: HTMLElement;
	type Of = 'ticked' | 'all' | 'first';
	let picked = $state<Of | null>(null);
	/** Which of them; what was picked is so while it can be. */
	const of = $derived.by((): Of => {
		if (picked && !(picked === 'ticked' && !ticked.length) && !(picked === 'all' && tooMany))
			return picked;
		return ticked.length ? 'ticked' : tooMany ? 'first' : 'all';
	});
	/** As it was typed; null while nobody typed. */
	let typedFirst = $state<string | null>(null);
	const firstText = $derived(typedFirst ?? String(tooMany ? MOST_BULK : 50));
	const first = $derived(Number(firstText.replace(/[\s\u202f]/g, '')));
	const firstFault = $derived(
		of === 'first' && !(Number.isInteger(first) && first >= 1 && first <= MOST_BULK)
	);
	let k = $state<BulkDoes['k']>('set');
	/** Those that rules give a value when something happens: on request they do not run. */
	const byEvent = $derived.by(() => {
		if (k !== 'history' && k !== 'rules') return [];
		const sets = [w.force.set, ...(w.pilot ? [w.pilot.set] : [])];
		const given = new Set(sets.flatMap((set) => eventFields(compilePlan(w.schema, set), type)));
		return open.filter((f) => given.has(f.id));
	});
	const offered = $derived(k === 'line' ? held : k === 'history' ? byEvent : open);
	let chosen = $state<string | null>(null);
	let value = $state<JsonValue>(null);
	let link = $state<Record<string, string>>({});
	let given = $state(false);
	let formula = $state.raw<Formula>({ text: '' });
	let fillBlanks = $state(false);
	let spare = $state(true);
	let messages = $state(false);
	let fault = $state<string | null>(null);
	let trouble = $state<string | null>(null);
	let busy = $state(false);
	const field = $derived(open.find((f) => f.id === chosen) ?? null);
	const ready = $derived(
		!firstFault &&
			(k === 'rules' ||
				(field !== null &&
					(k === 'line' ||
						k === 'history' ||
						(k === 'set' ? given && !fault : 'expr' in formula || !!formula.text.trim()))))
	);
	function pickField(id: string) {
		chosen = id;
		value = null;
		given = false;
		fault = null;
		formula = { text: '' };
	}
	async function look() {
		busy = true;
		trouble = null;
		const does: BulkDoes =
			k === 'rules'
				? { k, fillBlanks }
				: k === 'line' || k === 'history'
					? { k, field: chosen! }
					: k === 'set'
						? { k, field: chosen!, value }
						: { k, field: chosen!, formula };
		const body: BulkAsked = {
			type,
			which: of === 'ticked' ? { ids: [...ticked] } : of === 'first' ? { list, first } : { list },
			does,
			spare,
			messages
		};
		try {
			const { id } = await ask<{ id: string }>('/bulks', { method: 'POST', body });
			await goto(`/bulk/${id}`);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; nothing was begun.' : e.message;
		} finally {
			busy = false;
		}
	}
</script>

<div
	bind:this={box}
	class="border-l-2 border-hairline py-1 pl-3 text-sm"
	role="group"
	aria-label="Change many {plural.toLowerCase()}"
>
	<p class="flex flex-wrap items-center gap-2">
		<span class="text-quiet">Of</span>
		<Choose
			value={of}
			label="Which are changed"
			choices={[
				...(ticked.length
					? [{ value: 'ticked', label: `the ${formatCount(ticked.length)} ticked` }]
					: []),
				...(tooMany ? [] : [{ value: 'all', label: `all ${count ?? ''} of this list` }]),
				{ value: 'first', label: 'the first of this list' }
			]}
			onpick={(v) => (picked = v as Of)}
		/>
		{#if of === 'first'}<input
				class="box mono w-24"
				inputmode="numeric"
				aria-label="How many of the first"
				aria-invalid={firstFault}
				value={firstText}
				oninput={(e) => (typedFirst = e.currentTarget.value)}
			/><span class="text-quiet">{sayOrder(list.sort, w.schema, type)}</span>{/if}
		<Choose
			value={k}
			label="What is done"
			choices={[
				{ value: 'set', label: 'a field gets a value' },
				{ value: 'calc', label: 'a field is copied or calculated' },
				{ value: 'line', label: 'a field is brought into line' },
				{ value: 'history', label: 'a field is filled from history' },
				{ value: 'rules', label: 'the standing rules run' }
			]}
			onpick={(v) => {
				k = v as BulkDoes['k'];
				if (!offered.some((f) => f.id === chosen)) chosen = null;
			}}
		/>
		{#if k !== 'rules'}
			<Choose
				value={chosen ?? ''}
				label="Which field is set"
				placeholder="which field?"
				class="w-48"
				choices={offered.map((f) => ({ value: f.id, label: f.label }))}
				onpick={pickField}
			/>
		{/if}
	</p>
	{#if field && k === 'set'}
		<div class="mt-1 flex flex-wrap items-center gap-2">
			<span class="text-quiet">becomes</span>
			<span class="w-64">
				{#key field.id}<ValueInput
						{field}
						schema={w.schema}
						{value}
						id="bulk-value"
						label="What {field.label} becomes"
						links={link}
						onchange={(v, title) => {
							value = v;
							given = v !== null;
							if (title && typeof v === 'string') link = { [`${field.target}.${v}`]: title };
						}}
						onfault={(m) => (fault = m)}
					/>{/key}
			</span>
			<label class="flex min-h-6 items-center gap-2"
				><input
					type="checkbox"
					checked={given && value === null}
					onchange={(e) => {
						value = null;
						given = e.currentTarget.checked;
					}}
				/>cleared</label
			>
		</div>
	{:else if field && k === 'calc'}
		<div class="mt-1 flex flex-wrap items-center gap-2">
			<span class="text-quiet">becomes</span>
			<span class="min-w-64 grow"
				>{#key field.id}<FieldOrFormula
						{formula}
						schema={w.schema}
						{type}
						expected={typeOfField(field)}
						label="What {field.label} becomes"
						onchange={(f) => (formula = f)}
					/>{/key}</span
			>
			<span class="text-quiet">where that gives nothing, it stays</span>
		</div>
	{/if}
	{#if k === 'history'}
		<p class="mt-1 max-w-prose text-quiet">
			{#if byEvent.length}Each record’s changes are gone through as they were made: the field gets
				what the rules in force would have given it, and is theirs. Where they would have given
				nothing, it stays.
			{:else}No rule in force gives {plural.toLowerCase()} a value when something happens to them.{/if}
		</p>
	{:else if k === 'rules' && byEvent.length}
		<p class="mt-1 max-w-prose text-quiet">
			Left out, since nothing happens to the records now: {byEvent.map((f) => f.label).join(', ')}.
			<button
				class="textlink"
				onclick={() => {
					k = 'history';
					chosen = null;
					// the button is gone with the words around it: the keyboard goes on at what is asked next
					void tick().then(() =>
						box.querySelector<HTMLElement>('[aria-label^="Which field is set"]')?.focus()
					);
				}}>Fill one of them from history</button
			>
		</p>
	{/if}
	<p class="mt-1 flex flex-wrap items-center gap-x-5 gap-y-1">
		<label class="flex min-h-6 items-center gap-2"
			><input type="checkbox" bind:checked={spare} />spare what people set</label
		>
		{#if k === 'line'}<span class="text-quiet">no message leaves</span>
		{:else if k === 'rules'}
			<label class="flex min-h-6 items-center gap-2"
				><input type="checkbox" bind:checked={fillBlanks} />fill blanks, where rules do</label
			>
		{:else}
			<label class="flex min-h-6 items-center gap-2"
				><input type="checkbox" bind:checked={messages} />messages that rules send leave</label
			>
		{/if}
		<button class="button" disabled={!ready || busy} onclick={() => void look()}
			>Look what it would do</button
		>
	</p>
	{#if firstFault}<p class="text-brick" role="alert">
			● How many must be a whole number from 1 to {formatCount(MOST_BULK)}.
		</p>{:else if tooMany && of === 'first'}<p class="text-quiet">
			At most {formatCount(MOST_BULK)}
			{plural.toLowerCase()} are changed at a time; the others after these, or by a narrower list.
		</p>{/if}
	{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}
</div>
