<script lang="ts">
	/**
	 * A decision table: a column for each input and each field it writes, a row for each case. Cells
	 * are read while they are typed; the sample's row is marked, and in each other row the cell that fails.
	 */
	import { SvelteSet } from 'svelte/reactivity';
	import type { Cell, DecisionBody, DecisionRow, Field, HitPolicy } from '$core';
	import {
		cellsTried,
		HOLE,
		MAX_DECISION_ROWS,
		looseKey,
		pickedIn,
		readCell,
		rowType,
		testsOf,
		type PickedFrom
	} from '$core';
	import type { Ty } from '$core/feel/language';
	import { ANY, bare, readFormula, typeOfField } from '$core/feel/language';
	import Tried from '../../trials/Tried.svelte';
	import Grid from '../../grid/Grid.svelte';
	import type { GridColumn } from '../../grid/columns';
	import FieldOrFormula from '../../inputs/FieldOrFormula.svelte';
	import FormulaInput from '../../inputs/FormulaInput.svelte';
	import SourceInput from '../../inputs/SourceInput.svelte';
	import Word from '../../words/Word.svelte';
	import { HIT_HELP, HIT_SAYS } from '../../words/format';
	import { bodyEdit, type EditorProps } from '../view';
	import Choose from '../../inputs/Choose.svelte';
	import OptionCell from './OptionCell.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';

	let { rule, body, report, disabled }: EditorProps<DecisionBody> = $props();

	const w = useWorkbench();
	/** A new table asks first what it starts from. */
	const begins = w.begun?.rule === (() => rule.id)();
	const scope = $derived({ schema: w.schema, type: rule.type });
	const set = bodyEdit(w, () => rule, 'table');
	const fields = $derived(rule.outputs.map((o) => w.schema.field(rule.type, o.field)));
	const inputTypes = $derived(
		body.inputs.map((f): Ty => readFormula(f, scope).compiled?.ty ?? ANY)
	);
	/** Cells that are to be tried by themselves, by the part that each is. */
	const tried = $derived(
		new Map(
			cellsTried(body, { schema: w.schema, rule }).map((p) => [
				`${p.cell!.row} ${p.cell!.column}`,
				p
			])
		)
	);
	const traced = $derived(new Map(report?.table?.rows.map((r) => [r.row, r])));
	const matched = $derived(body.rows.flatMap((_, i) => (traced.get(i)?.cell === null ? [i] : [])));
	let grid = $state<{ goTo(place: number, column: number, into?: boolean): Promise<void> }>();

	// ---- columns: first the inputs, then what is written ----------------------------------------

	type Column = GridColumn<DecisionRow> & { in: number | null; out: number | null };
	const inputText = (f: DecisionBody['inputs'][number]) => readFormula(f, scope).text;
	const thenText = (f: DecisionRow['then'][number], field: Field | undefined) => {
		const option = optionIn(f);
		if (option) return optionsOf(field)?.find((o) => o.id === option)?.label ?? option;
		return f ? readFormula(f, { ...scope, expected: expectedOf(field) }).text : '';
	};
	const columns = $derived<Column[]>([
		...body.inputs.map((f, k): Column => {
			const text = (r: DecisionRow) =>
				readCell(r.when[k] ?? { text: '' }, inputTypes[k] ?? ANY, scope).text;
			return {
				id: `in${k}`,
				label: inputText(f) || `input ${k + 1}`,
				value: (r) => text(r) || null,
				width: 132,
				grow: true,
				in: k,
				out: null
			};
		}),
		...fields.map((f, k): Column => ({
			id: `out${k}`,
			label: f?.label ?? 'which field?',
			value: (r) => thenText(r.then[k] ?? null, f) || null,
			width: 132,
			grow: true,
			in: null,
			out: k
		})),
		{ id: 'end', label: 'More', value: () => null, plain: true, width: 84, in: null, out: null }
	]);
	const columnOf = (c: GridColumn<DecisionRow>) => c as Column;

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

	/** What the cells of an input are picked from; null where they are written. */
	const fromOf = (ty: Ty): PickedFrom | null => {
		const of = ty.t === 'list' ? ty.of : ty;
		return of.t === 'choice' ? { list: of.list } : ty.t === 'boolean' ? 'yesno' : null;
	};
	const YES_NO = [
		{ id: 'true', label: 'yes' },
		{ id: 'false', label: 'no' }
	];
	const optionsFrom = (from: PickedFrom) =>
		from === 'yesno'
			? YES_NO
			: (w.schema.lists.get(from.list)?.options ?? []).filter((o) => !o.retired);
	/** Cells that somebody wants to write, by row and column. */
	const written = new SvelteSet<string>();
	/** What a cell picks, where that is all it says. */
	function pickedOf(row: DecisionRow, k: number, ty: Ty, from: PickedFrom) {
		if (written.has(`${row.id} ${k}`)) return null;
		const read = readCell(row.when[k] ?? { text: '' }, ty, scope);
		if (!read.compiled || read.faults.length) return null;
		const picked = pickedIn(bare(read.compiled.tests), from);
		const known = optionsFrom(from).map((o) => o.id);
		// a retired option is seen as it is written
		return picked?.values.every((v) => known.includes(v)) ? picked : null;
	}

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
	function addRow() {
		const at = body.rows.length;
		set('add row', (b) => ({ ...b, rows: [...b.rows, fresh(b)] }));
		void grid?.goTo(at, 0, true);
	}
	/** A row behind another, with what that one asks for: the next case differs in one cell mostly. */
	function insertRow(at: number) {
		set('row between', (b) => ({
			...b,
			rows: b.rows.toSpliced(at + 1, 0, { ...fresh(b), when: b.rows[at].when })
		}));
		void grid?.goTo(at + 1, 0);
	}
	const removeRow = (at: number) =>
		set('remove row', (b) => ({ ...b, rows: b.rows.filter((_, i) => i !== at) }));
	const moved = <T,>(list: readonly T[], from: number, to: number): T[] => {
		const next = [...list];
		next.splice(to, 0, ...next.splice(from, 1));
		return next;
	};
	const moveRow = (from: number, to: number) =>
		set('move row', (b) => ({ ...b, rows: moved(b.rows, from, to) }));
	const moveInput = (from: number, to: number) =>
		set('move input', (b) => ({
			...b,
			inputs: moved(b.inputs, from, to),
			rows: b.rows.map((r) => ({
				...r,
				when: moved(
					b.inputs.map((_, i) => r.when[i] ?? { text: '' }),
					from,
					to
				)
			}))
		}));
	const addInput = () =>
		set('add input', (b) => ({
			...b,
			inputs: [...b.inputs, { expr: HOLE }],
			rows: b.rows.map((r) => ({ ...r, when: [...r.when, { text: '' }] }))
		}));
	const removeInput = (at: number) =>
		set('remove input', (b) => ({
			...b,
			inputs: b.inputs.filter((_, i) => i !== at),
			rows: b.rows.map((r) => ({ ...r, when: r.when.filter((_, i) => i !== at) }))
		}));

	/** What a pasted text is as the result of a row: an option by its name, a formula, or nothing. */
	function thenOf(text: string, field: Field | undefined): DecisionRow['then'][number] {
		if (!text.trim() || text.trim() === '-') return null;
		const plain = text.trim().replace(/^"(.*)"$/, '$1');
		const option = optionsOf(field)?.find((o) => looseKey(o.label) === looseKey(plain));
		if (option && field) return { expr: { k: 'option', list: field.list!, option: option.id } };
		const read = readFormula({ text }, { ...scope, expected: expectedOf(field) });
		return read.compiled && !read.faults.length ? { expr: bare(read.compiled.expr) } : { text };
	}
	/** What a pasted text is as a test: options by their names, without quotes as a spreadsheet has them. */
	function testOf(text: string, k: number): Cell {
		const ty = inputTypes[k] ?? ANY;
		const from = fromOf(ty);
		const clean = text.trim() === '-' ? '' : text;
		const read = readTests(clean, ty);
		if (!from || ('tests' in read.cell && !read.faults.length)) return read.cell;
		const names = clean.split(/[,;]/).map((x) => looseKey(x));
		const picked = names.map((n) => optionsFrom(from).find((o) => looseKey(o.label) === n)?.id);
		return picked.every((x): x is string => x !== undefined)
			? { tests: testsOf({ values: picked, blank: false, not: false }, from) }
			: read.cell;
	}
	/** Cells copied elsewhere, from the cell that has the keyboard on; rows that are missing are made. */
	function paste(e: ClipboardEvent) {
		const cell = (e.target as HTMLElement).closest<HTMLElement>('[data-at]');
		if (disabled || !cell || (e.target as HTMLElement).closest('input, textarea, .cm-content'))
			return;
		const [r, c] = cell.dataset.at!.split(' ').map(Number);
		const lines = (e.clipboardData?.getData('text/plain') ?? '')
			.replace(/\s+$/, '')
			.split(/\r\n?|\n/)
			.map((l) => l.split('\t'));
		// the first column numbers the rows
		if (r < 0 || c < 1 || !lines[0]?.join('')) return;
		e.preventDefault();
		set('paste', (b) => {
			const rows = [...b.rows];
			lines.forEach((line, i) => {
				const at = r + i;
				while (rows.length <= at && rows.length < MAX_DECISION_ROWS)
					rows.push(fresh({ ...b, rows }));
				if (!rows[at]) return;
				const when = b.inputs.map((_, k) => rows[at].when[k] ?? { text: '' });
				const then = rule.outputs.map((_, k) => rows[at].then[k] ?? null);
				line.forEach((text, n) => {
					const column = c - 1 + n;
					const out = column - b.inputs.length;
					if (column < b.inputs.length) when[column] = testOf(text, column);
					else if (out < then.length) then[out] = thenOf(text, fields[out]);
				});
				rows[at] = { ...rows[at], when, then };
			});
			return { ...b, rows };
		});
	}
	/** What is wrong with a row, at the cell where it is told. */
	const flaws = $derived(
		new Map(
			w.found
				.filter((f) => f.rule === rule.id && f.is !== 'unfinished')
				.flatMap((f) => {
					const at = /^cell (\d+ \d+)$/.exec(f.place)?.[1];
					return at ? [[at, f] as const] : [];
				})
		)
	);

	/** In a cell, Enter goes down and makes a row at the end; Alt and arrows go anywhere. */
	function keys(e: KeyboardEvent, row: number, column: number) {
		if (e.key === 'Enter' && !e.shiftKey) {
			e.preventDefault();
			if (row === body.rows.length - 1 && !disabled) addRow();
			else void grid?.goTo(row + 1, column, true);
			return;
		}
		const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[
			e.key
		];
		if (!step || !e.altKey) return;
		e.preventDefault();
		void grid?.goTo(row + step[0], column + step[1], true);
	}
	const policies = (Object.keys(HIT_HELP) as HitPolicy[]).map((value) => ({
		value,
		label: HIT_SAYS[value],
		help: HIT_HELP[value]
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
	<button class="textlink ml-auto" onclick={() => (w.wide = !w.wide)} aria-pressed={w.wide}
		>{w.wide ? 'Show the sample again' : 'Use the whole page'}</button
	>
</div>

<div class="decision mt-1 flex max-h-[70vh] min-h-0 flex-col" onpaste={paste}>
	<Grid
		bind:this={grid}
		label="Decision table of {rule.name}"
		rows={body.rows}
		{columns}
		key={(r) => r.id}
		ordered
		remember="rule {rule.id}"
		filters={body.rows.length > 8}
		look={(c) => (columnOf(c).in !== null ? 'in' : columnOf(c).out !== null ? 'out' : 'end')}
		mark={(_, at) => (matched.includes(at) ? 'hit' : '')}
		move={disabled ? undefined : moveRow}
		moving={disabled || body.inputs.length < 2
			? undefined
			: { can: (c) => columnOf(c).in !== null, move: moveInput }}
	>
		{#snippet header(c, tools)}
			{@const k = columnOf(c).in}
			{#if k === null}<span class="block px-2 pt-1 text-brass-ink">{c.label}</span>
				<span class="flex justify-end">{@render tools()}</span>
			{:else}
				<FieldOrFormula
					narrow
					label="Input {k + 1} of the table"
					formula={body.inputs[k]}
					schema={w.schema}
					type={rule.type}
					open={begins && k === 0}
					{disabled}
					onchange={(f) =>
						set(`input ${k}`, (b) => ({
							...b,
							inputs: b.inputs.map((x, i) => (i === k ? f : x))
						}))}
				/>
				<span class="flex">
					{#if !disabled && body.inputs.length > 1}<button
							class="textlink px-2 font-normal text-quiet"
							onclick={() => removeInput(k)}
							aria-label="Remove input {k + 1}">remove</button
						>{/if}
					<span class="grow"></span>{@render tools()}
				</span>
			{/if}
		{/snippet}
		{#snippet cell(row, column, i)}
			{@const c = columnOf(column)}
			{#if c.in !== null}
				{@const k = c.in}
				{@const ty = inputTypes[k] ?? ANY}
				{@const fate = traced.get(i)}
				{@const from = fromOf(ty)}
				{@const picked = from && pickedOf(row, k, ty, from)}
				{@const flaw = flaws.get(`${i} ${k}`)}
				{@const point = tried.get(`${i} ${k}`)}
				<div
					class="test"
					class:failing={fate?.cell === k}
					title={fate?.cell === k
						? fate.unknown
							? 'For the sample this cannot be told'
							: 'The sample fails here'
						: undefined}
				>
					{#if from && picked}
						<OptionCell
							{picked}
							options={optionsFrom(from)}
							label="Row {i + 1}, input {k + 1}"
							{disabled}
							onkeydown={(e) => e.altKey && keys(e, i, k)}
							onpick={(p) => setCell(i, k, { tests: testsOf(p, from) })}
							ontext={() => {
								written.add(`${row.id} ${k}`);
								void grid?.goTo(i, k, true);
							}}
						/>
					{:else}
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
					{/if}
					{#if point}<span class="tick"
							><Tried rule={rule.id} part={point.key} what={point.label} /></span
						>{/if}
					{#if flaw}<p
							class="px-2 pb-1 text-xs {flaw.severity === 'blocking' ? 'text-brick' : 'text-ochre'}"
						>
							{flaw.severity === 'blocking' ? '●' : '▲'}
							{flaw.message}
						</p>{/if}
				</div>
			{:else if c.out !== null}
				{@const k = c.out}
				{@const f = fields[k]}
				{@const options = optionsOf(f)}
				{@const then = row.then[k] ?? null}
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
			{:else}<Tried rule={rule.id} part={String(i)} />{#if !disabled}<button
						class="icon"
						title="A row behind this one"
						onclick={() => insertRow(i)}
						aria-label="Insert a row behind row {i + 1}">+</button
					><button class="icon" onclick={() => removeRow(i)} aria-label="Remove row {i + 1}"
						>✕</button
					>{/if}{/if}
			{#if c === columns[0] && matched.includes(i)}<span class="sr-only">matches the sample</span
				>{/if}
		{/snippet}
		{#snippet empty()}No row yet, so nothing is written.{/snippet}
	</Grid>
</div>
{#if !disabled}
	<div class="mt-1 flex gap-4 text-sm">
		<button class="textlink whitespace-nowrap" onclick={addRow}>Add a row</button>
		<button class="textlink whitespace-nowrap" onclick={addInput}>Add an input</button>
		<span class="ml-auto text-xs text-quiet"
			>Options are ticked. Other cells hold a test such as <span class="mono">&lt; 50</span>,
			<span class="mono">[10..50)</span> or <span class="mono">null</span> for blank; empty takes anything.
			Rows of a spreadsheet can be pasted. Enter goes down, Alt and arrows move.</span
		>
	</div>
{/if}

<style>
	.decision :global(:is(th, td).in),
	.decision :global(:is(th, td).out),
	.decision :global(:is(th, td).end) {
		padding: 0;
		border-right: 1px solid var(--color-hairline);
	}
	.decision :global(thead th.in) {
		border-bottom: 2px solid var(--color-teal);
	}
	.decision :global(thead th.out) {
		border-bottom: 3px double var(--color-brass);
	}
	.decision :global(td.out) {
		background: color-mix(in srgb, var(--color-band-1) 35%, transparent);
	}
	.decision :global(tr.hit > :is(th, td)) {
		background: var(--color-band-1);
	}
	.decision :global(tr.hit > th.n)::before {
		content: '▸';
	}
	.test {
		position: relative;
	}
	/* in the corner, so that what the cell says keeps its place */
	.tick {
		position: absolute;
		top: -6px;
		right: 0;
	}
	.failing {
		box-shadow: inset 3px 0 0 var(--color-brick);
	}
	.icon {
		min-width: 26px;
		min-height: 28px;
	}
</style>
