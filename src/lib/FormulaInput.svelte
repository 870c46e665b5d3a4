<script lang="ts">
	/** A formula as text, read at every keystroke: what cannot be read is marked at its place. */
	import { parseExpression } from '$core/feel/parse';
	import { compileExpression } from '$core/feel/compile';
	import { bare, FormulaError, type Fault } from '$core/feel/tree';
	import type { Ty } from '$core/feel/types';
	import type { Schema } from '$core/model/model';
	import type { Formula } from '$core/model/rules';
	import { readFormula } from '$core/plan/plan';

	let {
		formula,
		schema,
		type,
		expected,
		label,
		margin = '',
		disabled = false,
		onchange
	}: {
		formula: Formula;
		schema: Schema;
		type: string;
		expected?: Ty;
		label: string;
		/** The value it gives for the sample. */
		margin?: string;
		disabled?: boolean;
		onchange: (f: Formula) => void;
	} = $props();

	const uid = $props.id();
	const stored = $derived(readFormula(formula, { schema, type, expected }));
	let typed = $state<string | null>(null);
	const text = $derived(typed ?? stored.text);
	const faults = $derived(typed === null ? stored.faults : check(typed).faults);
	const fault = $derived(faults[0]);

	function check(source: string): { formula: Formula; faults: Fault[] } {
		if (!source.trim())
			return {
				formula: { text: source },
				faults: [{ message: 'A formula is missing.', from: 0, to: 0 }]
			};
		try {
			const c = compileExpression(parseExpression(source, { schema, type }), {
				schema,
				type,
				expected
			});
			return c.faults.length
				? { formula: { text: source }, faults: c.faults }
				: { formula: { expr: bare(c.expr) }, faults: [] };
		} catch (e) {
			if (e instanceof FormulaError) return { formula: { text: source }, faults: [e.fault] };
			throw e;
		}
	}

	function input(source: string) {
		typed = source;
		onchange(check(source).formula);
	}
</script>

<div class="my-1">
	<div class="flex items-start gap-3">
		<!-- the text lies twice: below to carry the mark, above to be typed into -->
		<div class="formula box grow {fault ? 'faulty' : ''}">
			<div class="under mono" aria-hidden="true">
				{#if fault}{text.slice(0, fault.from)}<mark
						>{text.slice(fault.from, Math.max(fault.to, fault.from + 1)) || ' '}</mark
					>{text.slice(Math.max(fault.to, fault.from + 1))}{:else}{text}{/if}&#8203;
			</div>
			<textarea
				class="mono"
				rows="1"
				spellcheck="false"
				aria-label={label}
				aria-invalid={!!fault}
				aria-describedby={fault ? `${uid}-fault` : undefined}
				readonly={disabled}
				value={text}
				oninput={(e) => input(e.currentTarget.value)}
				onblur={() => (typed = fault ? typed : null)}></textarea>
		</div>
		{#if margin}
			<output class="mono pt-1 text-right text-teal" title="The value for the sample"
				>{margin}</output
			>
		{/if}
	</div>
	{#if fault}
		<p id="{uid}-fault" class="mt-1 text-sm text-brick">● {fault.message}</p>
	{/if}
</div>

<style>
	.formula {
		display: grid;
		min-width: 0;
	}
	.formula > * {
		grid-area: 1 / 1;
		white-space: pre-wrap;
		overflow-wrap: anywhere;
		line-height: 1.55;
		padding: 1px 0;
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
	.formula:focus-within {
		outline: 2px solid var(--color-teal);
		outline-offset: 1px;
	}
	.faulty {
		border-color: var(--color-brick);
	}
</style>
