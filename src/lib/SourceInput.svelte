<script lang="ts">
	/** Text that is read at every keystroke; what cannot be read is marked at its place. */
	import type { Fault } from '$core/feel/tree';

	let {
		text: stored,
		read,
		label,
		margin = '',
		compact = false,
		placeholder = '',
		disabled = false,
		onkeydown,
		oninput
	}: {
		/** The text of what is stored. */
		text: string;
		/** What is wrong with a text. */
		read: (text: string) => Fault[];
		label: string;
		/** The value it gives for the sample. */
		margin?: string;
		/** In a cell: no frame, and the fault is told by a title. */
		compact?: boolean;
		placeholder?: string;
		disabled?: boolean;
		onkeydown?: (e: KeyboardEvent) => void;
		oninput: (text: string) => void;
	} = $props();

	const uid = $props.id();
	let typed = $state<string | null>(null);
	const text = $derived(typed ?? stored);
	const fault = $derived(read(text)[0]);
</script>

<div class={compact ? '' : 'my-1'}>
	<div class="flex items-start gap-3">
		<!-- the text lies twice: below to carry the mark, above to be typed into -->
		<div class="source grow {compact ? 'cell' : 'box'} {fault ? 'faulty' : ''}">
			<div class="under mono" aria-hidden="true">
				{#if fault}{text.slice(0, fault.from)}<mark
						>{text.slice(fault.from, Math.max(fault.to, fault.from + 1)) || ' '}</mark
					>{text.slice(Math.max(fault.to, fault.from + 1))}{:else}{text}{/if}&#8203;
			</div>
			<textarea
				class="mono"
				rows="1"
				spellcheck="false"
				{placeholder}
				aria-label={label}
				aria-invalid={!!fault}
				aria-describedby={fault ? `${uid}-fault` : undefined}
				readonly={disabled}
				value={text}
				{onkeydown}
				oninput={(e) => {
					typed = e.currentTarget.value;
					oninput(typed);
				}}
				onblur={() => (typed = fault ? typed : null)}></textarea>
		</div>
		{#if margin}
			<output class="mono pt-1 text-right text-teal" title="The value for the sample"
				>{margin}</output
			>
		{/if}
	</div>
	{#if fault}
		<p id="{uid}-fault" class="text-sm text-brick {compact ? 'px-2 pb-1' : 'mt-1'}">
			● {fault.message}
		</p>
	{/if}
</div>

<style>
	.source {
		display: grid;
		min-width: 0;
	}
	.source > * {
		grid-area: 1 / 1;
		white-space: pre-wrap;
		overflow-wrap: anywhere;
		line-height: 1.55;
		padding: 1px 0;
	}
	.cell > * {
		padding: 4px 8px;
	}
	.under {
		color: transparent;
	}
	mark {
		color: transparent;
		background: none;
		text-decoration: underline wavy var(--color-brick);
		text-underline-offset: 3px;
		text-decoration-skip-ink: none;
	}
	textarea {
		resize: none;
		overflow: hidden;
		background: none;
		outline: none;
		border: 0;
	}
	.source:focus-within {
		outline: 2px solid var(--color-teal);
		outline-offset: 1px;
	}
	.cell:focus-within {
		outline-offset: -2px;
	}
	.box.faulty {
		border-color: var(--color-brick);
	}
</style>
