<script lang="ts">
	/** A cell that asks for options, yes or no, or blank: ticked, never typed in quotes. */
	import type { Picked } from '$core';
	import { Select } from 'bits-ui';
	import Tick from '../../inputs/Tick.svelte';

	let {
		picked,
		options,
		label,
		disabled,
		onkeydown,
		onpick,
		ontext
	}: {
		picked: Picked;
		options: readonly { id: string; label: string }[];
		label: string;
		disabled: boolean;
		onkeydown: (e: KeyboardEvent) => void;
		onpick: (p: Picked) => void;
		/** It is to be written as a test. */
		ontext: () => void;
	} = $props();

	const BLANK = '~blank';
	const NOT = '~not';
	const TEXT = '~text';
	const names = $derived([
		...options.filter((o) => picked.values.includes(o.id)).map((o) => o.label),
		...(picked.blank ? ['blank'] : [])
	]);
	const shown = $derived(
		names.length ? `${picked.not ? 'not ' : ''}${names.join(', ')}` : 'anything'
	);
	const value = $derived([
		...picked.values,
		...(picked.blank ? [BLANK] : []),
		...(picked.not ? [NOT] : [])
	]);
	const items = $derived([
		...options.map((o) => ({ value: o.id, label: o.label, apart: false })),
		{ value: BLANK, label: 'blank', apart: true },
		...(names.length || picked.not ? [{ value: NOT, label: 'none of these', apart: false }] : []),
		{ value: TEXT, label: 'write a test …', apart: true }
	]);
	function take(all: string[]) {
		if (all.includes(TEXT)) return ontext();
		onpick({
			// in the order of the list, whatever was ticked first
			values: options.map((o) => o.id).filter((id) => all.includes(id)),
			blank: all.includes(BLANK),
			not: all.includes(NOT)
		});
	}
</script>

<Select.Root type="multiple" {value} {disabled} {items} onValueChange={take}>
	<Select.Trigger
		class="plainbox block w-full px-2 py-1 text-left {names.length ? '' : 'text-quiet'}"
		aria-label="{label}: {shown}"
		{onkeydown}>{names.length ? shown : '–'}</Select.Trigger
	>
	<Select.Portal>
		<Select.Content sideOffset={2} class="chooselist">
			<Select.Viewport>
				{#each items as c (c.value)}
					<Select.Item
						value={c.value}
						label={c.label}
						class="chooseitem {c.apart ? 'border-t border-hairline' : ''}"
					>
						{#snippet children({ selected })}
							{#if c.value !== TEXT}<Tick on={selected} />{/if}
							{c.label}
						{/snippet}
					</Select.Item>
				{/each}
			</Select.Viewport>
		</Select.Content>
	</Select.Portal>
</Select.Root>
