<script lang="ts">
	/** One reference table: its columns and keys, and its rows in a grid. */
	import { createVirtualizer } from '@tanstack/svelte-virtual';
	import { untrack } from 'svelte';
	import { goto } from '$app/navigation';
	import type { FieldType, JsonValue, ReferenceTable, TableColumn, TableKey } from '$core';
	import {
		FIELD_TYPES,
		cellFault,
		cellText,
		doubledRows,
		looseKey,
		readCellText,
		rowsFromCells,
		tableToCells,
		usesOf
	} from '$core';
	import { offerFile, readCells, writeCells } from '$lib/work/csv';
	import { TYPE_NAME, formatCount } from '$lib/words/format';
	import { ask, type Refused } from '$lib/work/http';
	import Choose from '$lib/inputs/Choose.svelte';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { params } = $props();
	const w = useWorkbench();
	const table = $derived(w.draft.tables?.find((t) => t.id === params.id));
	const uses = $derived(table ? usesOf(w.draft, { table: table.id }) : []);
	const doubles = $derived(table ? doubledRows(table) : new Map<number, number>());
	const disabled = $derived(!w.canEdit);
	const edit = (label: string, change: (t: ReferenceTable) => Partial<ReferenceTable>) =>
		table && w.setTable(label, { ...table, ...change(table) });

	// ---- the grid: only the rows in view are drawn --------------------------------------------

	const ROW = 31;
	const virtual = createVirtualizer<HTMLDivElement, HTMLTableRowElement>({
		count: 0,
		getScrollElement: () => grid ?? null,
		estimateSize: () => ROW,
		initialRect: { width: 800, height: 420 },
		overscan: 8
	});
	$effect(() => {
		const count = table?.rows.length ?? 0;
		const element = grid ?? null;
		untrack(() => $virtual.setOptions({ count, getScrollElement: () => element }));
	});
	const inView = $derived($virtual.getVirtualItems());
	const first = $derived(inView[0]?.index ?? 0);
	const last = $derived(inView.length ? inView.at(-1)!.index + 1 : 0);
	let grid: HTMLDivElement | undefined = $state();

	function setCell(row: number, column: number, text: string) {
		edit(`cell ${row} ${column}`, (t) => {
			const { value } = readCellText(t.columns[column], text, w.schema);
			return {
				rows: t.rows.map((r, i) => (i === row ? r.map((v, k) => (k === column ? value : v)) : r))
			};
		});
	}
	/** A cell as people read it: links by the title of their record. */
	const shown = (c: TableColumn, v: JsonValue) =>
		c.type === 'link' && typeof v === 'string' && /^\d+$/.test(v)
			? (w.titles.all[`${c.target}.${v}`] ?? `No. ${v}`)
			: cellText(c, v, w.schema);
	/** A link is typed by title: the one record that is called so, or what was typed, with what is wrong. */
	async function setLink(row: number, column: number, c: TableColumn, typed: string) {
		const text = typed.trim().replace(/^No\. (\d+)$/, '$1');
		if (!text || /^\d+$/.test(text)) return setCell(row, column, text);
		let all: { id: string; title: string }[] = [];
		try {
			all = await ask(`/look/links?type=${c.target}&find=${encodeURIComponent(text)}`);
		} catch (e) {
			said = { bad: true, text: `Row ${row + 1}: ${(e as Refused).message}` };
			return;
		}
		const same = all.filter((x) => looseKey(x.title) === looseKey(text));
		if (same.length === 1) w.titles.learn({ [`${c.target}.${same[0].id}`]: same[0].title });
		setCell(row, column, same.length === 1 ? same[0].id : text);
		const label = w.schema.types.get(c.target ?? '')?.type;
		if (same.length !== 1)
			said = {
				bad: true,
				text: `Row ${row + 1}: ${same.length ? `several ${label?.plural.toLowerCase()} are` : `no ${label?.label.toLowerCase()} is`} called “${text}”.`
			};
	}
	/** Cells from a spreadsheet fill the grid from here on; rows are added as needed. */
	function paste(e: ClipboardEvent, row: number, column: number) {
		const text = e.clipboardData?.getData('text/plain') ?? '';
		if (disabled || !/[\t\n]/.test(text.trimEnd())) return;
		e.preventDefault();
		const lines = text
			.replace(/\r\n?/g, '\n')
			.trimEnd()
			.split('\n')
			.map((l) => l.split('\t'));
		edit('paste', (t) => {
			const rows = t.rows.map((r) => [...r]);
			lines.forEach((cells, i) => {
				const r = (rows[row + i] ??= t.columns.map((): JsonValue => null));
				cells.forEach((cell, k) => {
					const c = t.columns[column + k];
					if (c) r[column + k] = readCellText(c, cell, w.schema).value;
				});
			});
			return { rows };
		});
	}
	function addRow(at = table?.rows.length ?? 0) {
		edit('add row', (t) => ({
			rows: [...t.rows.slice(0, at), t.columns.map(() => null), ...t.rows.slice(at)]
		}));
		setTimeout(() => focusCell(at, 0), 30);
	}
	function focusCell(row: number, column: number) {
		if (!grid) return;
		if (row < first + 8 || row > last - 10) $virtual.scrollToIndex(row, { align: 'auto' });
		setTimeout(
			() => grid?.querySelector<HTMLElement>(`[data-cell="${row} ${column}"]`)?.focus(),
			30
		);
	}
	function keys(e: KeyboardEvent, row: number, column: number) {
		const down = e.key === 'Enter' || (e.key === 'ArrowDown' && !e.altKey);
		if (down || e.key === 'ArrowUp') {
			e.preventDefault();
			const to = row + (down ? 1 : -1);
			if (to < 0) return;
			if (to >= (table?.rows.length ?? 0)) {
				if (e.key === 'Enter' && !disabled) addRow();
				return;
			}
			focusCell(to, column);
		}
	}

	// ---- columns and keys -----------------------------------------------------------------------

	function addColumn() {
		edit('column', (t) => {
			let n = t.columns.length + 1;
			while (t.columns.some((c) => c.id === `c${n}`)) n++;
			return {
				columns: [...t.columns, { id: `c${n}`, label: `Column ${n}`, type: 'text' }],
				rows: t.rows.map((r) => [...r, null])
			};
		});
	}
	function setColumn(at: number, patch: Partial<TableColumn>) {
		edit(`column ${at}`, (t) => {
			const had = t.columns[at];
			const { id, label } = had;
			// another type: what is there is read again, and what does not fit stays as it was typed
			const next: TableColumn =
				patch.type && patch.type !== had.type
					? {
							id,
							label,
							type: patch.type,
							...(patch.type.startsWith('choice') ? { list: w.model.lists[0]?.id } : {}),
							...(patch.type === 'link' ? { target: w.model.types[0]?.id } : {})
						}
					: { ...had, ...patch };
			const reread = next.type !== had.type || next.list !== had.list;
			return {
				columns: t.columns.map((c, i) => (i === at ? next : c)),
				rows: reread
					? t.rows.map((r) =>
							r.map((v, i) =>
								i === at ? readCellText(next, cellText(had, v, w.schema), w.schema).value : v
							)
						)
					: t.rows
			};
		});
	}
	function removeColumn(at: number) {
		edit('column', (t) => ({
			columns: t.columns.filter((_, i) => i !== at),
			rows: t.rows.map((r) => r.filter((_, i) => i !== at)),
			keys: t.keys.filter((k) =>
				k.match === 'range'
					? k.from !== t.columns[at].id && k.to !== t.columns[at].id
					: k.column !== t.columns[at].id
			)
		}));
	}
	const setKey = (at: number, key: TableKey) =>
		edit('key', (t) => ({ keys: t.keys.map((k, i) => (i === at ? key : k)) }));
	function setMatch(at: number, match: TableKey['match']) {
		const had = table!.keys[at];
		const column = had.match === 'range' ? had.from : had.column;
		const other = table!.columns.find((c) => c.id !== column)?.id ?? column;
		setKey(
			at,
			match === 'range'
				? { match, from: column, to: had.match === 'range' ? had.to : other }
				: { match, column }
		);
	}
	const MATCHES: Record<TableKey['match'], string> = {
		exact: 'is exactly',
		loose: 'is, but for case, accents and spaces',
		prefix: 'begins what is looked for (the longest counts)',
		range: 'to … holds what is looked for (both ends count, a blank end is open)'
	};

	// ---- files ----------------------------------------------------------------------------------

	let said = $state<{ text: string; bad: boolean } | null>(null);
	function exportCsv() {
		offerFile(`${table!.label}.csv`, writeCells(tableToCells(table!, w.schema)), 'text/csv');
	}
	async function importCsv(files: FileList | null) {
		const file = files?.[0];
		if (!file || !table) return;
		const read = readCells(await file.text());
		const rows = read.ok ? rowsFromCells(table, read.cells, w.schema) : read;
		if (!rows.ok) {
			said = { text: `${file.name}: ${rows.message} Nothing was changed.`, bad: true };
			return;
		}
		edit('import', () => ({ rows: rows.rows }));
		said = {
			text: `${formatCount(rows.rows.length)} rows from ${file.name}${rows.faults.length ? `; ${rows.faults.length} values do not fit, the first in row ${rows.faults[0].row + 1}: ${rows.faults[0].message}` : ''}. Undo brings the old rows back.`,
			bad: rows.faults.length > 0
		};
	}
</script>

<svelte:head><title>{table?.label ?? 'Table'} · Rigid Rule</title></svelte:head>

<div class="flex h-full flex-col px-6 pt-3 pb-2">
	{#if table}
		<div class="flex items-baseline gap-3">
			<input
				class="plain grow text-xl font-semibold"
				aria-label="Name of the table"
				value={table.label}
				{disabled}
				maxlength="100"
				oninput={(e) => {
					const label = e.currentTarget.value;
					edit('name', () => ({ label }));
				}}
			/>
			<span class="text-sm text-quiet">
				{#if uses.length}looked up by {uses.map((u) => u.name).join(', ')}{:else}no rule looks it up
					yet{/if}
			</span>
		</div>
		<input
			class="plain w-full text-sm text-quiet"
			aria-label="What the table is for"
			placeholder="One line on what it is for and who keeps it"
			value={table.why}
			{disabled}
			maxlength="1000"
			oninput={(e) => {
				const why = e.currentTarget.value;
				edit('why', () => ({ why }));
			}}
		/>

		<div class="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
			<span class="font-semibold">Found by</span>
			{#each table.keys as key, i (i)}
				<span
					class="inline-flex flex-wrap items-center gap-1 border border-hairline bg-sheet px-2 py-0.5"
				>
					<Choose
						label="Key column {i + 1}"
						value={key.match === 'range' ? key.from : key.column}
						{disabled}
						plain
						choices={table.columns.map((c) => ({ value: c.id, label: c.label }))}
						onpick={(v) =>
							setKey(i, key.match === 'range' ? { ...key, from: v } : { ...key, column: v })}
					/>
					<Choose
						label="How key {i + 1} is matched"
						value={key.match}
						{disabled}
						plain
						class="max-w-52"
						choices={Object.entries(MATCHES).map(([m, text]) => ({ value: m, label: text }))}
						onpick={(v) => setMatch(i, v as TableKey['match'])}
					/>
					{#if key.match === 'range'}
						<Choose
							label="End of the range of key {i + 1}"
							value={key.to}
							{disabled}
							plain
							choices={table.columns.map((c) => ({ value: c.id, label: c.label }))}
							onpick={(v) => setKey(i, { ...key, to: v })}
						/>
					{/if}
					{#if !disabled}<button
							class="tiny"
							aria-label="Remove key {i + 1}"
							onclick={() => edit('key', (t) => ({ keys: t.keys.filter((_, k) => k !== i) }))}
							>✕</button
						>{/if}
				</span>
			{/each}
			{#if !disabled && table.columns.length}<button
					class="textlink"
					onclick={() =>
						edit('key', (t) => ({
							keys: [...t.keys, { match: 'exact', column: t.columns[0].id }]
						}))}>Add a key</button
				>{/if}
			<span class="grow"></span>
			<button class="textlink" onclick={exportCsv}>Save as CSV</button>
			{#if !disabled}
				<label class="textlink cursor-pointer"
					>Rows from a CSV file<input
						class="sr-only"
						type="file"
						accept=".csv,text/csv,text/plain"
						onchange={(e) => {
							void importCsv(e.currentTarget.files);
							e.currentTarget.value = '';
						}}
					/></label
				>
				<button
					class="textlink text-brick disabled:text-quiet"
					disabled={uses.length > 0}
					title={uses.length ? 'Rules look it up' : ''}
					onclick={() => {
						w.removePart('table', table.id);
						void goto('/tables');
					}}>Remove the table</button
				>
			{/if}
		</div>
		{#if said}<p class="mt-1 text-sm {said.bad ? 'text-brick' : ''}" role="status">
				{said.bad ? '● ' : ''}{said.text}
			</p>{/if}

		<div class="mt-2 min-h-60 flex-1 overflow-auto border border-line bg-sheet" bind:this={grid}>
			<table class="cells" aria-label="Rows of {table.label}" aria-rowcount={table.rows.length}>
				<thead>
					<tr>
						<th class="n"><span class="sr-only">Row</span></th>
						{#each table.columns as c, i (c.id)}
							{@const isKey = table.keys.some((k) =>
								k.match === 'range' ? k.from === c.id || k.to === c.id : k.column === c.id
							)}
							<th class={isKey ? 'key' : ''}>
								<input
									class="plain w-full font-semibold"
									aria-label="Name of column {i + 1}"
									value={c.label}
									{disabled}
									maxlength="100"
									oninput={(e) => setColumn(i, { label: e.currentTarget.value })}
								/>
								<span class="flex items-center font-normal text-quiet">
									<Choose
										label="Type of {c.label}"
										value={c.type}
										{disabled}
										plain
										class="w-20 text-xs"
										choices={FIELD_TYPES.map((t) => ({ value: t, label: TYPE_NAME[t] }))}
										onpick={(v) => setColumn(i, { type: v as FieldType })}
									/>
									{#if c.type === 'choice' || c.type === 'choices'}<Choose
											label="Option list of {c.label}"
											value={c.list ?? ''}
											{disabled}
											plain
											class="w-24 text-xs"
											choices={w.model.lists.map((l) => ({ value: l.id, label: l.label }))}
											onpick={(v) => setColumn(i, { list: v })}
										/>{:else if c.type === 'link'}<Choose
											label="Record type of {c.label}"
											value={c.target ?? ''}
											{disabled}
											plain
											class="w-24 text-xs"
											choices={w.model.types.map((t) => ({ value: t.id, label: t.label }))}
											onpick={(v) => setColumn(i, { target: v })}
										/>{/if}
									{#if !disabled}<button
											class="tiny ml-auto"
											aria-label="Remove column {c.label}"
											onclick={() => removeColumn(i)}>✕</button
										>{/if}
								</span>
							</th>
						{/each}
						<th class="end"
							>{#if !disabled}<button class="textlink px-2 text-xs" onclick={addColumn}
									>Add a column</button
								>{/if}</th
						>
					</tr>
				</thead>
				<tbody>
					{#if first > 0}<tr aria-hidden="true" style:height="{first * ROW}px"></tr>{/if}
					{#each table.rows.slice(first, last) as row, k (first + k)}
						{@const r = first + k}
						<tr style:height="{ROW}px" aria-rowindex={r + 1}>
							<th class="n mono" scope="row">{r + 1}</th>
							{#each table.columns as c, i (c.id)}
								{@const fault = cellFault(c, row[i] ?? null, w.schema)}
								<td class:bad={!!fault}>
									<input
										class="mono"
										data-cell="{r} {i}"
										aria-label="{c.label}, row {r + 1}"
										aria-invalid={!!fault}
										title={fault ?? ''}
										readonly={disabled}
										value={shown(c, row[i] ?? null)}
										onchange={(e) =>
											c.type === 'link'
												? void setLink(r, i, c, e.currentTarget.value)
												: setCell(r, i, e.currentTarget.value)}
										onpaste={(e) => paste(e, r, i)}
										onkeydown={(e) => keys(e, r, i)}
									/>
								</td>
							{/each}
							<td class="end">
								{#if doubles.has(r)}<span class="px-1 text-xs text-ochre"
										>▲ key of row {doubles.get(r)! + 1}</span
									>{/if}
								{#if !disabled}<button
										class="tiny"
										aria-label="Remove row {r + 1}"
										onclick={() =>
											edit('remove row', (t) => ({ rows: t.rows.filter((_, x) => x !== r) }))}
										>✕</button
									>{/if}
							</td>
						</tr>
					{/each}
					{#if last < table.rows.length}<tr
							aria-hidden="true"
							style:height="{(table.rows.length - last) * ROW}px"
						></tr>{/if}
				</tbody>
			</table>
		</div>
		<div class="mt-1 flex gap-4 text-sm">
			{#if !disabled}<button class="textlink" onclick={() => addRow()}>Add a row</button>{/if}
			<span class="text-quiet"
				>{formatCount(table.rows.length)} rows. Cells copied in a spreadsheet can be pasted from any cell
				on.</span
			>
		</div>
	{:else}
		<p>There is no such table in the draft. <a class="textlink" href="/tables">All tables</a></p>
	{/if}
</div>

<style>
	.cells {
		border-collapse: separate;
		border-spacing: 0;
		min-width: 100%;
	}
	.cells th,
	.cells td {
		border-right: 1px solid var(--color-hairline);
		border-bottom: 1px solid var(--color-hairline);
		padding: 0;
		text-align: left;
		min-width: 110px;
	}
	.cells thead th:not(.n) {
		min-width: 180px;
	}
	.cells thead th {
		position: sticky;
		top: 0;
		z-index: 1;
		background: var(--color-panel);
		border-bottom: 1px solid var(--color-line);
		padding: 4px 8px;
	}
	.cells thead th.key {
		border-bottom: 2px solid var(--color-teal);
	}
	.cells td input {
		width: 100%;
		background: none;
		padding: 3px 8px;
		border: 0;
	}
	.cells td input:focus {
		outline: 2px solid var(--color-teal);
		outline-offset: -2px;
	}
	.bad {
		box-shadow: inset 3px 0 0 var(--color-brick);
		background: var(--color-brick-wash);
	}
	.n {
		min-width: 44px !important;
		width: 44px;
		text-align: right !important;
		padding: 0 8px !important;
		color: var(--color-quiet);
		font-weight: 400;
	}
	.end {
		width: 100%;
		border-right: 0 !important;
	}
	.plain {
		background: none;
		border: 0;
		min-height: 24px;
	}
	.tiny {
		min-width: 24px;
		min-height: 24px;
	}
</style>
