<script lang="ts">
	/** Several of several: ticked in a list that stays open. */
	import { Select } from 'bits-ui';
	import ChevronDown from '@lucide/svelte/icons/chevron-down';
	import Tick from './Tick.svelte';
	import type { Choice } from '../words/Word.svelte';

	let {
		values,
		choices,
		label,
		id,
		placeholder = '',
		disabled = false,
		describedby,
		class: more = '',
		onpick
	}: {
		values: string[];
		choices: Choice[];
		label: string;
		id?: string;
		/** What it means that nothing is ticked. */
		placeholder?: string;
		disabled?: boolean;
		describedby?: string;
		class?: string;
		onpick: (values: string[]) => void;
	} = $props();

	const shown = $derived(
		choices
			.filter((c) => values.includes(c.value))
			.map((c) => c.label)
			.join(', ')
	);
</script>

<Select.Root
	type="multiple"
	value={values}
	{disabled}
	items={choices}
	onValueChange={(v) =>
		// in the order of the list, whatever was ticked first
		onpick(choices.map((c) => c.value).filter((x) => v.includes(x)))}
>
	<Select.Trigger
		{id}
		class="box choose inline-flex items-center gap-1 {more}"
		aria-label="{label}: {shown || placeholder || 'none'}"
		aria-describedby={describedby}
	>
		<span class="grow truncate text-left">{shown || placeholder || '—'}</span>
		<ChevronDown size={13} class="shrink-0 text-quiet" aria-hidden="true" />
	</Select.Trigger>
	<Select.Portal>
		<Select.Content sideOffset={2} class="chooselist">
			<Select.Viewport>
				{#each choices as c (c.value)}
					<Select.Item value={c.value} label={c.label} class="chooseitem">
						{#snippet children({ selected })}
							<Tick on={selected} />
							{c.label}
						{/snippet}
					</Select.Item>
				{/each}
			</Select.Viewport>
		</Select.Content>
	</Select.Portal>
</Select.Root>
