<script lang="ts">
	/**
	 * Text of the language, read at every keystroke; what cannot be read is marked at its place. A plain
	 * text box until its editor is there: that of a cell comes when the cell is entered, and goes after.
	 */
	import { onMount } from 'svelte';
	import type { Completion, Completions, Fault, Surroundings } from '$core/feel/language';
	import { HOLE, type Expr } from '$core';
	import { complete, helpAt, mended, readFormula } from '$core/feel/language';
	import { useWorkbench } from '../work/workbench.svelte';
	import type { SourceEditor } from './editor';
	import FieldPick from './FieldPick.svelte';
	import { insertions, type Insertion } from './insertion.svelte';

	let {
		text: stored,
		read,
		about,
		template = false,
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
		/** What it may speak of. */
		about: Surroundings;
		/** Running text: formulas stand in braces. */
		template?: boolean;
		label: string;
		/** The value it gives for the sample. */
		margin?: string;
		/** In a cell: no frame, and an editor only while it is entered. */
		compact?: boolean;
		placeholder?: string;
		disabled?: boolean;
		onkeydown?: (e: KeyboardEvent) => void;
		oninput: (text: string) => void;
	} = $props();

	const w = useWorkbench();
	const uid = $props.id();
	let typed = $state<string | null>(null);
	const text = $derived(typed ?? stored);
	const fault = $derived(read(text)[0]);
	/** What was meant, where a habit from elsewhere explains the fault. */
	const meant = $derived(fault && !fault.open && !template ? mended(text, about, read) : null);
	function mend() {
		// it is gone as soon as the text is another
		const right = meant?.text;
		if (right === undefined) return;
		typed = right;
		oninput(right);
		editor?.focus();
	}

	let place = $state<HTMLElement>();
	let box = $state<HTMLTextAreaElement>();
	let editor = $state.raw<SourceEditor | null>(null);
	let wanted = false;
	let gone = false;

	/** The formula around a place: the whole text, or what stands in the braces it lies in. */
	function around(all: string, pos: number): { from: number; to: number } | null {
		if (!template) return { from: 0, to: all.length };
		return formulas(all).find((f) => f.from <= pos && pos <= f.to) ?? null;
	}
	function formulas(all: string): { from: number; to: number }[] {
		if (!template) return [{ from: 0, to: all.length }];
		const out: { from: number; to: number }[] = [];
		for (const m of all.matchAll(/(?<!\{)\{(?!\{)([^{}]*)\}?/g))
			out.push({ from: m.index + 1, to: m.index + 1 + m[1].length });
		return out;
	}
	const within = <T,>(all: string, pos: number, ask: (part: string, at: number) => T): T | null => {
		const f = around(all, pos);
		return f ? ask(all.slice(f.from, f.to), pos - f.from) : null;
	};
	const language = {
		formulas,
		get chips() {
			return template;
		},
		complete: (all: string, pos: number, asked: boolean): Completions | null => {
			const from = around(all, pos)?.from ?? 0;
			const c = within(all, pos, (part, at) => complete(part, at, about, asked));
			return c && { ...c, from: c.from + from };
		},
		help: (all: string, pos: number): Completion | null => within(all, pos, helpAt),
		value: (field: string) => (about.type ? w.sampleText(about.type, field) : '')
	};
	/** Puts a picked field where the cursor is; at the end where nobody has been yet. */
	function put(e: Expr) {
		const what = `{${readFormula({ expr: e }, about).text}}`;
		if (editor) return editor.insert(what);
		const next = text + (text && !/[\s(]$/.test(text) ? ' ' : '') + what;
		typed = next;
		oninput(next);
	}

	const mine: Insertion = {
		get type() {
			return about.type;
		},
		get label() {
			return label;
		},
		insert: (what) => editor?.insert(template ? `{${what}}` : what)
	};

	async function open(focus: boolean) {
		if (wanted || disabled || gone) return;
		wanted = true;
		const { createEditor } = await import('./editor');
		// whoever left before it came needs none
		if (gone || !place || (compact && document.activeElement !== box)) {
			wanted = false;
			return;
		}
		// what was selected in the box is selected in the editor: the next key may come before one sees it
		const selected = box && { from: box.selectionStart, to: box.selectionEnd };
		const focused = focus || document.activeElement === box;
		const made = createEditor({
			parent: place,
			text,
			label,
			placeholder,
			language,
			onkeydown,
			onfocus: () => (insertions.at = mine),
			onchange: (t) => {
				typed = t;
				oninput(t);
			},
			// an editor that is taken away is left while the page is being made, when nothing may change
			onblur: () => queueMicrotask(left)
		});
		editor = made;
		if (focused) made.focus(selected);
	}
	function left() {
		if (gone) return;
		// what is stored says the same, faults included; and what others make of it shows again
		typed = null;
		if (!compact) return;
		const closing = editor;
		editor = null;
		wanted = false;
		closing?.destroy();
	}
	$effect(() => editor?.take(text));
	$effect(() => editor?.mark(fault, fault ? `${uid}-fault` : undefined));
	onMount(() => {
		if (!compact) void open(false);
		return () => {
			gone = true;
			insertions.release(mine);
			editor?.destroy();
		};
	});
</script>

<div
	class={compact ? '' : 'my-1'}
	onkeydowncapture={(e) => {
		if (e.key !== 'Enter' || !(e.ctrlKey || e.metaKey) || !meant) return;
		e.preventDefault();
		e.stopPropagation();
		mend();
	}}
>
	<div class="flex items-start gap-3">
		<div
			class="source grow {compact ? 'cell' : 'box'} {fault ? 'faulty' : ''}"
			class:open={editor}
			bind:this={place}
		>
			{#if !editor}
				<!-- the text lies twice: below to carry the mark, above to be typed into -->
				<div class="under mono" aria-hidden="true">
					{#if fault}{text.slice(0, fault.from)}<mark
							>{text.slice(fault.from, Math.max(fault.to, fault.from + 1)) || ' '}</mark
						>{text.slice(Math.max(fault.to, fault.from + 1))}{:else}{text}{/if}&#8203;
				</div>
				<textarea
					bind:this={box}
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
					onfocus={() => void open(true)}
					oninput={(e) => {
						typed = e.currentTarget.value;
						oninput(typed);
					}}
					onblur={() => (typed = null)}></textarea>
			{/if}
		</div>
		{#if margin}
			<output class="mono pt-1 text-right text-teal" title="The value for the sample"
				>{margin}</output
			>
		{/if}
	</div>
	{#if template && about.type && !disabled}
		<div class="text-sm">
			<FieldPick
				value={HOLE}
				schema={about.schema}
				type={about.type}
				label="Put a field into {label}"
				ask="put in a field"
				look="word"
				accept={(way) => !!way.field}
				onpick={put}
			/>
		</div>
	{/if}
	{#if fault?.open}
		<p id="{uid}-fault" class="text-sm text-quiet {compact ? 'px-2 pb-1' : 'mt-1'}">
			◌ {fault.message}
		</p>
	{:else if fault}
		<p id="{uid}-fault" class="text-sm text-brick {compact ? 'px-2 pb-1' : 'mt-1'}">
			● {fault.message}
			{#if meant && !disabled}<button class="textlink text-ink" onclick={mend}
					>Write <span class="mono">{meant?.text}</span></button
				>
				<span class="text-xs text-quiet">Ctrl Enter · {meant?.label}</span>{/if}
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
		min-width: 0;
	}
	.under,
	textarea {
		white-space: pre-wrap;
		overflow-wrap: anywhere;
		line-height: 1.55;
		padding: 1px 0;
	}
	.cell > .under,
	.cell > textarea {
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

	/* the editor, in the same place and type as the box that it takes over from */
	.source :global(.cm-editor) {
		outline: none;
		background: none;
	}
	.source :global(.cm-scroller) {
		font-family: var(--font-mono);
		font-size: 13px;
		font-variant-numeric: tabular-nums;
		line-height: 1.55;
	}
	.source :global(.cm-content) {
		padding: 1px 0;
		caret-color: var(--color-ink);
	}
	.source :global(.cm-line) {
		padding: 0;
	}
	.cell :global(.cm-content) {
		padding: 4px 8px;
	}
	.source :global(.cm-placeholder) {
		color: var(--color-quiet);
	}
	.source :global(.cm-name) {
		color: var(--color-teal);
	}
	.source :global(.cm-chip) {
		padding: 0 5px;
		border: 1px solid var(--color-teal);
		background: var(--color-panel);
		color: var(--color-teal);
		cursor: text;
	}
	.source :global(.cm-text),
	.source :global(.cm-number) {
		color: var(--color-brass-ink);
	}
	.source :global(.cm-word) {
		font-weight: 600;
	}
	.source :global(.cm-comment) {
		color: var(--color-quiet);
		font-style: italic;
	}
	.source :global(.cm-fault) {
		text-decoration: underline wavy var(--color-brick);
		text-underline-offset: 3px;
		text-decoration-skip-ink: none;
	}
	.source :global(.cm-cursor) {
		border-left-color: var(--color-ink);
	}
	.source :global(.cm-tooltip) {
		border: 1px solid var(--color-ink);
		background: var(--color-sheet);
		color: var(--color-ink);
		z-index: 60;
	}
	.source :global(.cm-signature) {
		max-width: 560px;
		padding: 3px 8px;
		font-size: 12px;
	}
	.source :global(.cm-tooltip-autocomplete > ul) {
		font-family: var(--font-sans);
		max-height: 260px;
		min-width: 320px;
	}
	.source :global(.cm-tooltip-autocomplete > ul > li) {
		display: flex;
		align-items: baseline;
		gap: 8px;
		min-height: 26px;
		padding: 3px 10px;
	}
	.source :global(.cm-tooltip-autocomplete > ul > li[aria-selected]) {
		background: var(--color-band-1);
		color: var(--color-ink);
	}
	.source :global(.cm-sign) {
		width: 12px;
		color: var(--color-quiet);
	}
	.source :global(.cm-completionDetail) {
		margin: 0;
		font-style: normal;
		font-size: 12px;
		color: var(--color-quiet);
	}
	.source :global(.cm-sample) {
		margin-left: auto;
		font-family: var(--font-mono);
		font-size: 12px;
		color: var(--color-teal);
	}
	.source :global(.cm-completionInfo) {
		max-width: 320px;
		padding: 6px 10px;
		font-size: 12px;
	}
</style>
