<script lang="ts">
	/**
	 * A decision table: a column for each input and each field it writes, a row for each case. Cells
	 * are read while they are typed; the sample's row is marked, and in each other row the cell that fails.
	 */
	import type { Cell, DecisionBody, DecisionRow, Field, HitPolicy } from '$core';
	import { readCell, rowType } from '$core';
	import type { Ty } from '$core/feel/language';
	import { ANY, bare, readFormula, typeOfField } from '$core/feel/language';
	import FormulaInput from '../../inputs/FormulaInput.svelte';
	import SourceInput from '../../inputs/SourceInput.svelte';
	import Word from '../../words/Word.svelte';
	import { HIT_HELP } from '../../words/format';
	import { bodyEdit, type EditorProps } from '../view';
	import Choose from '../../inputs/Choose.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';

	let { rule, body, report, disabled }: EditorProps<DecisionBody> = $props();

	const w = useWorkbench();
	const scope = $derived({ schema: w.schema, type: rule.type });
	const set = bodyEdit(w, () => rule, 'table');
	const fields = $derived(rule.outputs.map((o) => w.schema.field(rule.type, o.field)));
	const inputTypes = $derived(
		body.inputs.map((f): Ty => readFormula(f, scope).compiled?.ty ?? ANY)
	);
	const traced = $derived(new Map(report?.table?.rows.map((r) => [r.row, r])));
	const matched = $derived(body.rows.flatMap((_, i) => (traced.get(i)?.cell === null ? [i] : [])));
	let grid: HTMLElement;

	// ---- cells ------------------------------------------------------------------------------

	function readTests(
		text: string,
		ty: Ty
	): { cell: Cell; faults: ReturnType<typeof readCell>['faults'] } {
		const r = readCell({ text }, ty, scope);
		const done = r.compiled && !r.faults.length && text.trim();
		return { cell: done ? { tests: bare(r.compiled!.tests) } : { text }, faults: r.faults };
	}
	function setCell(row: number, column: number, cell: Cell) {
		set(`cell ${row} ${column}`, (b) => ({
			...b,
			rows: b.rows.map((r, i) =>
				i === row
					? {
							...r,
							when: b.inputs.map((_, k) => (k === column ? cell : (r.when[k] ?? { text: '' })))
						}
					: r
			)
		}));
	}
	function setThen(row: number, column: number, f: DecisionRow['then'][number]) {
		set(`result ${row} ${column}`, (b) => ({
			...b,
			rows: b.rows.map((r, i) =>
				i === row
					? { ...r, then: rule.outputs.map((_, k) => (k === column ? f : (r.then[k] ?? null))) }
					: r
			)
		}));
	}
	const expectedOf = (f: Field | undefined) => (f ? rowType(body.hit, f) : undefined);
	/** Choices are picked from their options; everything else is a formula. */
	const optionsOf = (f: Field | undefined) =>
		f?.list && (f.type === 'choice' || ['R', 'O', 'C'].includes(body.hit))
			? w.schema.lists.get(f.list)!.options.filter((o) => !o.retired)
			: null;
	const optionIn = (f: DecisionRow['then'][number]) =>
		f && 'expr' in f && f.expr.k === 'option' ? f.expr.option : '';

	/** Of a row that a repair added: what it gives is still to be written. */
	const unwritten = (f: DecisionRow['then'][number]) => !!f && 'text' in f && !f.text.trim();

	// ---- rows and columns -------------------------------------------------------------------

	const fresh = (b: DecisionBody): DecisionRow => {
		const ids = new Set(b.rows.map((r) => r.id));
		let n = b.rows.length + 1;
		while (ids.has(`row${n}`)) n++;
		return {
			id: `row${n}`,
			when: b.inputs.map(() => ({ text: '' })),
			then: rule.outputs.map(() => null)
		};
	};
	function addRow(at: number) {
		set('add row', (b) => ({
			...b,
			rows: [...b.rows.slice(0, at), fresh(b), ...b.rows.slice(at)]
		}));
		queueMicrotask(() => setTimeout(() => focusCell(at, 0)));
	}
	const removeRow = (at: number) =>
		set('remove row', (b) => ({ ...b, rows: b.rows.filter((_, i) => i !== at) }));
	const moveRow = (at: number, by: number) =>
		set('move row', (b) => {
			const rows = [...b.rows];
			const [r] = rows.splice(at, 1);
			rows.splice(at + by, 0, r);
			return { ...b, rows };
		});
	const addInput = () =>
		set('add input', (b) => ({
			...b,
			inputs: [...b.inputs, { text: '' }],
			rows: b.rows.map((r) => ({ ...r, when: [...r.when, { text: '' }] }))
		}));
	const removeInput = (at: number) =>
		set('remove input', (b) => ({
			...b,
			inputs: b.inputs.filter((_, i) => i !== at),
			rows: b.rows.map((r) => ({ ...r, when: r.when.filter((_, i) => i !== at) }))
		}));

	function focusCell(row: number, column: number) {
		grid
			.querySelector<HTMLElement>(
				`[data-cell="${row} ${column}"] :is(textarea, select, .cm-content)`
			)
			?.focus();
	}
	/** Enter goes down and makes a row at the end; Alt and arrows go anywhere. */
	function keys(e: KeyboardEvent, row: number, column: number) {
		if (e.key === 'Enter' && !e.shiftKey) {
			e.preventDefault();
			if (row === body.rows.length - 1 && !disabled) addRow(row + 1);
			else focusCell(row + 1, column);
			return;
		}
		const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[
			e.key
		];
		if (!step || !e.altKey) return;
		e.preventDefault();
		focusCell(row + step[0], column + step[1]);
	}
	const policies = Object.entries(HIT_HELP).map(([value, [label, help]]) => ({
		value,
		label,
		help
	}));
</script>

<div class="mt-2 flex flex-wrap items-baseline gap-x-2 text-sm">
	<span>When several rows match,</span>
	<Word
		label="What several matching rows mean"
		value={body.hit}
		choices={policies}
		{disabled}
		onpick={(v) => set('hit policy', (b) => ({ ...b, hit: v as HitPolicy }))}
	/>
	<span class="text-quiet">(hit policy <span class="mono">{body.hit}</span>)</span>
	<button class="textlink ml-auto" onclick={() => (w.wide = !w.wide)} aria-pressed={w.wide}
		>{w.wide ? 'Show the sample again' : 'Use the whole page'}</button
	>
</div>

<div class="mt-1 overflow-x-auto" bind:this={grid}>
	<table class="decision" aria-label="Decision table of {rule.name}">
		<thead>
			<tr>
				<th class="num"><span class="sr-only">Row</span></th>
				{#each body.inputs as input, k (k)}
					<th class="in">
						<FormulaInput
							compact
							label="Input {k + 1} of the table"
							formula={input}
							schema={w.schema}
							type={rule.type}
							{disabled}
							onchange={(f) =>
								set(`input ${k}`, (b) => ({
									...b,
									inputs: b.inputs.map((x, i) => (i === k ? f : x))
								}))}
						/>
						{#if !disabled && body.inputs.length > 1}<button
								class="textlink px-2 text-xs font-normal text-quiet"
								onclick={() => removeInput(k)}
								aria-label="Remove input {k + 1}">remove</button
							>{/if}
					</th>
				{/each}
				{#each fields as f, k (k)}<th class="out">{f?.label ?? 'which field?'}</th>{/each}
				<th class="end"></th>
			</tr>
		</thead>
		<tbody>
			{#each body.rows as row, i (row.id)}
				{@const fate = traced.get(i)}
				<tr class:hit={matched.includes(i)}>
					<th class="num mono" scope="row"
						>{matched.includes(i) ? '▸' : ''}{i + 1}{#if matched.includes(i)}<span class="sr-only"
								>matches the sample</span
							>{/if}</th
					>
					{#each body.inputs as _, k (k)}
						{@const ty = inputTypes[k] ?? ANY}
						<td
							class:failing={fate?.cell === k}
							title={fate?.cell === k
								? fate.unknown
									? 'For the sample this cannot be told'
									: 'The sample fails here'
								: undefined}
							data-cell="{i} {k}"
						>
							<SourceInput
								compact
								label="Row {i + 1}, input {k + 1}"
								placeholder="–"
								text={readCell(row.when[k] ?? { text: '' }, ty, scope).text}
								read={(t) => readTests(t, ty).faults}
								about={{ ...scope, input: ty }}
								{disabled}
								onkeydown={(e) => keys(e, i, k)}
								oninput={(t) => setCell(i, k, readTests(t, ty).cell)}
							/>
						</td>
					{/each}
					{#each fields as f, k (k)}
						{@const options = optionsOf(f)}
						{@const then = row.then[k] ?? null}
						<td class="out" data-cell="{i} {body.inputs.length + k}">
							{#if options && (then === null || unwritten(then) || optionIn(then))}
								<Choose
									onkeydown={(e) => e.altKey && keys(e, i, body.inputs.length + k)}
									label="Row {i + 1}, {f!.label}"
									value={unwritten(then) ? '?' : optionIn(then)}
									{disabled}
									plain
									class="w-full px-2 py-1"
									choices={[
										...(unwritten(then) ? [{ value: '?', label: 'choose …' }] : []),
										{ value: '', label: '– nothing' },
										...options.map((o) => ({ value: o.id, label: o.label }))
									]}
									onpick={(v) =>
										v !== '?' &&
										setThen(i, k, v ? { expr: { k: 'option', list: f!.list!, option: v } } : null)}
								/>
							{:else}
								<FormulaInput
									compact
									optional={!unwritten(then)}
									label="Row {i + 1}, {f?.label ?? 'result'}"
									placeholder={unwritten(then) ? 'write the result' : '– nothing'}
									formula={then ?? { text: '' }}
									schema={w.schema}
									type={rule.type}
									expected={expectedOf(f) ?? (f ? typeOfField(f) : undefined)}
									{disabled}
									onkeydown={(e) => keys(e, i, body.inputs.length + k)}
									onchange={(x) => setThen(i, k, 'text' in x && !x.text.trim() ? null : x)}
								/>
							{/if}
						</td>
					{/each}
					<td class="end">
						{#if !disabled}
							<button
								class="icon"
								disabled={i === 0}
								onclick={() => moveRow(i, -1)}
								aria-label="Move row {i + 1} up">↑</button
							><button
								class="icon"
								disabled={i === body.rows.length - 1}
								onclick={() => moveRow(i, 1)}
								aria-label="Move row {i + 1} down">↓</button
							><button class="icon" onclick={() => removeRow(i)} aria-label="Remove row {i + 1}"
								>✕</button
							>
						{/if}
					</td>
				</tr>
			{/each}
		</tbody>
	</table>
</div>
{#if !disabled}
	<div class="mt-1 flex gap-4 text-sm">
		<button class="textlink whitespace-nowrap" onclick={() => addRow(body.rows.length)}
			>Add a row</button
		>
		<button class="textlink whitespace-nowrap" onclick={addInput}>Add an input</button>
		<span class="ml-auto text-xs text-quiet"
			>A cell holds a test such as <span class="mono">&lt; 50</span>,
			<span class="mono">[10..50)</span>, <span class="mono">"Won", "Lost"</span> or
			<span class="mono">null</span> for blank; empty takes anything. Enter goes down, Alt and arrows
			move.</span
		>
	</div>
{/if}

<style>
	.decision {
		width: 100%;
		border-collapse: collapse;
		border: 1px solid var(--color-line);
	}
	.decision th,
	.decision td {
		border: 1px solid var(--color-hairline);
		padding: 0;
		vertical-align: top;
		text-align: left;
		min-width: 96px;
	}
	.decision thead th {
		background: var(--color-panel);
		border-bottom: 1px solid var(--color-line);
	}
	.decision thead th.in {
		border-bottom: 2px solid var(--color-teal);
	}
	.decision thead th.out {
		color: var(--color-brass-ink);
		padding: 4px 8px;
		border-bottom: 3px double var(--color-brass);
	}
	.decision td.out {
		background: color-mix(in srgb, var(--color-band-1) 35%, transparent);
	}
	.decision .num {
		min-width: 34px;
		width: 34px;
		padding: 4px 6px;
		text-align: right;
		color: var(--color-quiet);
		font-weight: 400;
	}
	.decision .end {
		min-width: 78px;
		width: 78px;
		white-space: nowrap;
	}
	tr.hit > :is(th, td) {
		background: var(--color-band-1);
	}
	td.failing {
		box-shadow: inset 3px 0 0 var(--color-brick);
	}
	.icon {
		min-width: 24px;
		min-height: 28px;
	}
	.icon:disabled {
		color: var(--color-line);
	}
</style>
