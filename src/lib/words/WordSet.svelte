<script lang="ts">
	/** A word of a sentence that stands for several things at once: any of them can be ticked. */
	import { Popover } from 'bits-ui';
	import type { Choice } from './Word.svelte';

	let {
		values,
		choices,
		text,
		tone = '',
		label,
		all,
		open: wanted = false,
		disabled = false,
		onpick
	}: {
		/** The ticked ones; null for all, where `all` says what that is called. */
		values: string[] | null;
		choices: Choice[];
		text: string;
		tone?: '' | 'reads' | 'writes';
		label: string;
		all?: string;
		/** Open from the start. */
		open?: boolean;
		disabled?: boolean;
		onpick: (values: string[] | null) => void;
	} = $props();

	// svelte-ignore state_referenced_locally
	let open = $state(wanted);

	const ticked = $derived(values ?? choices.map((c) => c.value));

	function toggle(value: string) {
		const base = values ?? (all ? [] : ticked);
		const next = base.includes(value) ? base.filter((v) => v !== value) : [...base, value];
		if (next.length || !all) onpick(choices.map((c) => c.value).filter((v) => next.includes(v)));
		else onpick(null);
	}
</script>

{#if disabled}
	<span class="word {tone}">{text}</span>
{:else}
	<Popover.Root bind:open
		><Popover.Trigger class="word {tone}" aria-label="{label}: {text}">{text}</Popover.Trigger
		><Popover.Portal>
			<Popover.Content
				sideOffset={4}
				align="start"
				class="z-50 max-h-80 min-w-48 overflow-auto border border-ink bg-sheet p-2"
				aria-label={label}
			>
				{#if all}
					<label class="flex min-h-7 items-center gap-2 px-1">
						<input type="radio" checked={values === null} onchange={() => onpick(null)} />
						{all}
					</label>
					<div class="ticks my-1"></div>
				{/if}
				{#each choices as c (c.value)}
					<label class="flex min-h-7 items-center gap-2 px-1">
						<input
							type="checkbox"
							checked={values === null ? !all : values.includes(c.value)}
							onchange={() => toggle(c.value)}
						/>
						{c.label}
					</label>
				{/each}
			</Popover.Content>
		</Popover.Portal></Popover.Root
	>
{/if}
