<script lang="ts">
	/** Chooses the record a link points to, found by typing part of its name. */
	import { ask } from '../work/http';
	import { Combobox } from 'bits-ui';
	import type { JsonValue } from '$core';

	let {
		value,
		title,
		target,
		id,
		disabled = false,
		onchange
	}: {
		value: JsonValue;
		/** Name of the record linked now. */
		title: string;
		target: string;
		id: string;
		disabled?: boolean;
		onchange: (v: JsonValue, title: string) => void;
	} = $props();

	let found = $state<{ id: string; title: string }[]>([]);
	let typed = $state<string | null>(null);
	let open = $state(false);
	let asked = 0;

	async function look(text: string) {
		typed = text;
		const mine = ++asked;
		try {
			const all = await ask<typeof found>(
				`/look/links?type=${target}&find=${encodeURIComponent(text)}`
			);
			if (mine === asked) found = all;
		} catch {
			// what was found before stands; typing on asks again
		}
	}
</script>

<Combobox.Root
	type="single"
	value={typeof value === 'string' ? value : ''}
	inputValue={typed ?? title}
	bind:open
	onOpenChange={(open) => (open ? look('') : (typed = null))}
	onValueChange={(v) => {
		typed = null;
		onchange(v || null, found.find((f) => f.id === v)?.title ?? '');
	}}
	{disabled}
>
	<div class="flex">
		<Combobox.Input
			{id}
			class="box w-full"
			placeholder="none"
			oninput={(e) => {
				const text = e.currentTarget.value;
				if (text.trim() === '') onchange(null, '');
				void look(text);
			}}
			onclick={() => (open = true)}
			onfocus={() => look('')}
		/>
	</div>
	<Combobox.Portal>
		<Combobox.Content
			sideOffset={2}
			class="z-50 max-h-72 min-w-56 overflow-auto border border-ink bg-sheet py-1"
		>
			{#each found as f (f.id)}
				<Combobox.Item
					value={f.id}
					label={f.title}
					class="min-h-7 cursor-pointer px-3 py-1 data-highlighted:bg-band-1"
				>
					{f.title} <span class="mono text-quiet">{f.id}</span>
				</Combobox.Item>
			{:else}
				<div class="px-3 py-1 text-quiet">Nothing found.</div>
			{/each}
		</Combobox.Content>
	</Combobox.Portal>
</Combobox.Root>
