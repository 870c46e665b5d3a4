<script lang="ts" module>
	/** One thing a word of a sentence can be. */
	export interface Choice {
		value: string;
		label: string;
		/** What it means, where the word alone does not say. */
		help?: string;
	}
</script>

<script lang="ts">
	/** A word of a rule's sentence that can be chosen: one choice of several, by mouse or keyboard. */
	import { Select } from 'bits-ui';
	import Check from '@lucide/svelte/icons/check';

	let {
		value,
		choices,
		text,
		tone = '',
		label,
		open: wanted = false,
		disabled = false,
		onpick
	}: {
		value: string;
		choices: Choice[];
		/** The word shown, when it differs from the chosen label. */
		text?: string;
		tone?: '' | 'reads' | 'writes';
		/** What is chosen here, for those who do not see the sentence. */
		label: string;
		/** Open from the start. */
		open?: boolean;
		disabled?: boolean;
		onpick: (value: string) => void;
	} = $props();

	// svelte-ignore state_referenced_locally
	let open = $state(wanted);

	const shown = $derived(text ?? choices.find((c) => c.value === value)?.label ?? '…');
</script>

{#if disabled}
	<span class="word {tone}">{shown}</span>
{:else}
	<!-- a flex box, since white space that the parts leave between them would part the word from its comma -->
	<span class="inline-flex items-baseline"
		><Select.Root
			type="single"
			{value}
			bind:open
			onValueChange={(v) => v !== value && onpick(v)}
			items={choices}
			><Select.Trigger
				class="word {tone} {shown.length < 4 ? 'short' : ''}"
				aria-label="{label}: {shown}">{shown}</Select.Trigger
			><Select.Portal>
				<Select.Content
					sideOffset={4}
					class="z-50 max-h-80 max-w-96 min-w-48 overflow-auto border border-ink bg-sheet py-1"
				>
					<Select.Viewport>
						{#each choices as c (c.value)}
							<Select.Item
								value={c.value}
								label={c.label}
								class="flex min-h-7 cursor-pointer gap-2 px-3 py-1 data-highlighted:bg-band-1"
							>
								<span class="w-4 shrink-0 pt-0.5">
									{#if c.value === value}<Check size={14} aria-hidden="true" />{/if}
								</span>
								<span>
									{c.label}
									{#if c.help}<span class="block text-xs text-quiet">{c.help}</span>{/if}
								</span>
							</Select.Item>
						{/each}
					</Select.Viewport>
				</Select.Content>
			</Select.Portal></Select.Root
		></span
	>
{/if}
