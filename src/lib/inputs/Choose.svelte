<script lang="ts">
	/** One of several: a list that opens, and past ten of them one that is searched by typing. */
	import { Combobox, Select } from 'bits-ui';
	import Check from '@lucide/svelte/icons/check';
	import ChevronDown from '@lucide/svelte/icons/chevron-down';
	import type { Choice } from '../words/Word.svelte';

	let {
		value,
		choices,
		label,
		id,
		name,
		placeholder = '—',
		disabled = false,
		describedby,
		plain = false,
		class: more = '',
		onkeydown,
		onpick
	}: {
		value: string;
		choices: Choice[];
		/** What is chosen here. */
		label: string;
		id?: string;
		/** As a form sends it. */
		name?: string;
		/** Shown while nothing is chosen. */
		placeholder?: string;
		disabled?: boolean;
		describedby?: string;
		/** Without a frame: in a cell or a heading. */
		plain?: boolean;
		class?: string;
		onkeydown?: (e: KeyboardEvent) => void;
		onpick: (value: string) => void;
	} = $props();

	/** Past this many, typing finds. */
	const MANY = 10;
	let typed = $state<string | null>(null);
	let open = $state(false);
	const chosen = $derived(choices.find((c) => c.value === value));
	const shown = $derived(chosen?.label ?? '');
	const found = $derived(
		typed === null || !typed.trim()
			? choices
			: choices.filter((c) => c.label.toLowerCase().includes(typed!.trim().toLowerCase()))
	);
	const look = $derived(
		`${plain ? 'plainbox' : 'box'} choose inline-flex items-center gap-1 ${more}`
	);
</script>

{#snippet item(c: Choice)}
	<span class="w-4 shrink-0 pt-0.5">
		{#if c.value === value}<Check size={14} aria-hidden="true" />{/if}
	</span>
	<span>
		{c.label}
		{#if c.help}<span class="block text-xs text-quiet">{c.help}</span>{/if}
	</span>
{/snippet}

{#if choices.length <= MANY}
	<Select.Root
		type="single"
		{value}
		{name}
		{disabled}
		items={choices}
		onValueChange={(v) => v !== value && onpick(v)}
	>
		<Select.Trigger
			{id}
			class={look}
			aria-label="{label}: {shown || placeholder}"
			aria-describedby={describedby}
			{onkeydown}
		>
			<span class="grow truncate text-left">{shown || placeholder}</span>
			<ChevronDown size={13} class="shrink-0 text-quiet" aria-hidden="true" />
		</Select.Trigger>
		<Select.Portal>
			<Select.Content sideOffset={2} class="chooselist">
				<Select.Viewport>
					{#each choices as c (c.value)}
						<Select.Item value={c.value} label={c.label} class="chooseitem">
							{@render item(c)}
						</Select.Item>
					{/each}
				</Select.Viewport>
			</Select.Content>
		</Select.Portal>
	</Select.Root>
{:else}
	<Combobox.Root
		type="single"
		{value}
		{name}
		{disabled}
		inputValue={typed ?? shown}
		bind:open
		onOpenChange={(now) => {
			if (!now) typed = null;
		}}
		onValueChange={(v) => {
			typed = null;
			if (v !== value) onpick(v);
		}}
	>
		<span class="{look} {plain ? '' : 'p-0'}">
			<Combobox.Input
				{id}
				class="w-full min-w-0 grow bg-transparent outline-none {plain ? '' : 'px-2 py-[2px]'}"
				{placeholder}
				aria-label={label}
				aria-describedby={describedby}
				oninput={(e) => (typed = e.currentTarget.value)}
				onfocus={(e) => e.currentTarget.select()}
				onclick={() => (open = true)}
				{onkeydown}
			/>
			<Combobox.Trigger class="shrink-0 px-1" aria-label="Show all" tabindex={-1}
				><ChevronDown size={13} class="text-quiet" aria-hidden="true" /></Combobox.Trigger
			>
		</span>
		<Combobox.Portal>
			<Combobox.Content sideOffset={2} class="chooselist">
				<Combobox.Viewport>
					{#each found as c (c.value)}
						<Combobox.Item value={c.value} label={c.label} class="chooseitem">
							{@render item(c)}
						</Combobox.Item>
					{:else}
						<p class="px-3 py-1 text-quiet">Nothing is called so.</p>
					{/each}
				</Combobox.Viewport>
			</Combobox.Content>
		</Combobox.Portal>
	</Combobox.Root>
{/if}

<style>
	:global(.choose:focus-within) {
		outline: 2px solid var(--color-teal);
		outline-offset: 1px;
	}
	:global(.plainbox) {
		min-height: 26px;
	}
	:global(.chooselist) {
		z-index: 50;
		max-height: 320px;
		min-width: 140px;
		max-width: 384px;
		overflow: auto;
		border: 1px solid var(--color-ink);
		background: var(--color-sheet);
		padding: 4px 0;
	}
	:global(.chooseitem) {
		display: flex;
		gap: 8px;
		min-height: 28px;
		padding: 4px 12px;
		cursor: pointer;
	}
	:global(.chooseitem[data-highlighted]) {
		background: var(--color-band-1);
	}
</style>
