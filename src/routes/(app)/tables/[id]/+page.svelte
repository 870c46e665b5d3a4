<script lang="ts">
	/** One reference table: its columns and keys, and its rows in a grid. */
	import Here from '$lib/shell/Here.svelte';
	import { Collapsible } from 'bits-ui';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import type {
		FieldType,
		JsonValue,
		MissingKey,
		ReferenceTable,
		TableColumn,
		TableKey
	} from '$core';
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
	import Incoming from '$lib/tables/Incoming.svelte';
	import { offerFile, readCells, writeCells } from '$lib/work/csv';
	import { TYPE_NAME, formatCount } from '$lib/words/format';
	import { ask, type Refused } from '$lib/work/http';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import { Reorder } from '$lib/grid/reorder.svelte';
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

	// ---- the grid -----------------------------------------------------------------------------

	type Row = readonly JsonValue[];
	/** The row's ways out: a column of its own, behind those of the table. */
	const END = ' end';
	let grid = $state<{ goTo(place: number, column: number, into?: boolean): Promise<void> }>();
	const NUMERIC: FieldType[] = ['number', 'money', 'percent'];
	const sized = (c: TableColumn, v: JsonValue) => {
		const numeric = NUMERIC.includes(c.type) && (typeof v === 'number' || typeof v === 'string');
		const n = numeric && v !== '' ? Number(v) : NaN;
		return Number.isNaN(n) ? shown(c, v) || null : n;
	};
	const columns = $derived<GridColumn<Row>[]>([
		...(table?.columns ?? []).map((c, i) => ({
			id: c.id,
			label: c.label,
			value: (r: Row) => sized(c, r[i] ?? null),
			text: (r: Row) => shown(c, r[i] ?? null),
			numeric: NUMERIC.includes(c.type),
			width: 180
		})),
		{ id: END, label: 'More', value: () => null, plain: true, width: 120, grow: true }
	]);
	const place = (c: GridColumn<Row>) => table!.columns.findIndex((x) => x.id === c.id);
	const keyed = (c: GridColumn<Row>) =>
		table!.keys.some((k) =>
			k.match === 'range' ? k.from === c.id || k.to === c.id : k.column === c.id
		);
	const editing = {
		text: (r: Row, c: GridColumn<Row>) => {
			const i = place(c);
			return shown(table!.columns[i], r[i] ?? null);
		},
		fault: (r: Row, c: GridColumn<Row>) => {
			const i = place(c);
			return cellFault(table!.columns[i], r[i] ?? null, w.schema);
		},
		set: (at: number, c: GridColumn<Row>, text: string) => {
			const i = place(c);
			if (table!.columns[i].type === 'link') void setLink(at, i, table!.columns[i], text);
			else setCell(at, i, text);
		},
		paste: (at: number, c: GridColumn<Row>, cells: string[][]) => paste(at, place(c), cells),
		add: () => addRow()
	};
	// a finding leads to its row
	let told = '';
	$effect(() => {
		const asked = page.url.searchParams.get('row');
		if (!asked || asked === told || !grid || !table) return;
		told = asked;
		const at = Number(asked) - 1;
		if (at >= 0 && at < table.rows.length) void grid.goTo(at, 0);
	});

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
	function paste(row: number, column: number, lines: string[][]) {
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
	function addRow() {
		const at = table?.rows.length ?? 0;
		edit('add row', (t) => ({ rows: [...t.rows, t.columns.map(() => null)] }));
		void grid?.goTo(at, 0);
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
	const columnOrder = new Reorder<TableColumn>({
		items: () => table?.columns ?? [],
		label: () => `the columns of ${table?.label}`,
		disabled: () => disabled,
		move: moveColumn
	});
	function moveColumn(from: number, to: number) {
		const moved = <X,>(list: readonly X[]): X[] => {
			const next = [...list];
			next.splice(to, 0, ...next.splice(from, 1));
			return next;
		};
		edit('column order', (t) => ({
			columns: moved(t.columns),
			rows: t.rows.map((r) => moved(t.columns.map((_, i) => r[i] ?? null)))
		}));
	}
	let columnsOpen = $state<boolean | null>(null);
	/** A new table begins with its columns. */
	const fresh = $derived(!!table?.rows.every((r) => r.every((v) => v === null)));
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

	const MISSING = [
		{ value: '', label: 'is not decided' },
		{ value: 'nothing', label: 'gives nothing' },
		{ value: 'leave', label: 'leaves the field as it is' },
		{ value: 'mistake', label: 'is a mistake: it stops a release' }
	];

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
		incoming = null;
		if (!rows.ok || !read.ok) {
			const { message } = rows as { message: string };
			said = { text: `${file.name}: ${message} Nothing was changed.`, bad: true };
			return;
		}
		said = null;
		const found = { file: file.name, cells: read.cells, rows: rows.rows, faults: rows.faults };
		if (rows.faults.length || doubledRows({ ...table, rows: rows.rows }).size) incoming = found;
		else take(file.name, rows.rows);
	}
	/** Rows of a file that do not all fit: looked at before they are taken in. */
	let incoming = $state.raw<{
		file: string;
		cells: string[][];
		rows: JsonValue[][];
		faults: { row: number; column: string; message: string }[];
	} | null>(null);
	function take(file: string, rows: JsonValue[][]) {
		incoming = null;
		edit('import', () => ({ rows }));
		said = {
			text: `${formatCount(rows.length)} rows from ${file}. Undo brings the old rows back.`,
			bad: false
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
			<Here part="tables.{table.id}" />
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
			<span class="font-semibold">A key without a row</span>
			<Choose
				label="What a key without a row means"
				value={table.missing ?? ''}
				{disabled}
				plain
				choices={MISSING}
				onpick={(v) =>
					edit('missing', () => ({ missing: (v || undefined) as MissingKey | undefined }))}
			/>
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
		{#if incoming}
			{@const { file } = incoming}
			<Incoming
				{table}
				{...incoming}
				ontake={(rows) => take(file, rows)}
				onleave={() => (incoming = null)}
			/>
		{/if}

		<Collapsible.Root
			class="mt-1 text-sm"
			bind:open={() => columnsOpen ?? fresh, (v) => (columnsOpen = v)}
		>
			<Collapsible.Trigger class="flex min-h-7 items-center gap-2 font-semibold">
				<span aria-hidden="true">{(columnsOpen ?? fresh) ? '▾' : '▸'}</span>Columns · {table.columns
					.length}
			</Collapsible.Trigger>
			<Collapsible.Content>
				<ul class="max-w-3xl border border-hairline bg-sheet" use:columnOrder.zone={!disabled}>
					{#each columnOrder.shown as c, i (c.id)}
						<li
							class="flex items-center gap-2 border-b border-hairline px-2 py-0.5 last:border-b-0"
						>
							{#if disabled}<span class="mono w-6 text-right text-quiet">{i + 1}</span>{:else}<span
									class="mono inline-block min-h-6 w-6 cursor-grab text-right text-quiet"
									{...columnOrder.handle(i, c.label)}>{i + 1}</span
								>{/if}
							<input
								class="plain w-52 font-semibold"
								aria-label="Name of column {i + 1}"
								value={c.label}
								{disabled}
								maxlength="100"
								oninput={(e) => setColumn(i, { label: e.currentTarget.value })}
							/>
							<Choose
								label="Type of {c.label}"
								value={c.type}
								{disabled}
								plain
								class="w-40"
								choices={FIELD_TYPES.map((t) => ({ value: t, label: TYPE_NAME[t] }))}
								onpick={(v) => setColumn(i, { type: v as FieldType })}
							/>
							{#if c.type === 'choice' || c.type === 'choices'}<Choose
									label="Option list of {c.label}"
									value={c.list ?? ''}
									{disabled}
									plain
									class="w-40"
									choices={w.model.lists.map((l) => ({ value: l.id, label: l.label }))}
									onpick={(v) => setColumn(i, { list: v })}
								/>{:else if c.type === 'link'}<Choose
									label="Record type of {c.label}"
									value={c.target ?? ''}
									{disabled}
									plain
									class="w-40"
									choices={w.model.types.map((t) => ({ value: t.id, label: t.label }))}
									onpick={(v) => setColumn(i, { target: v })}
								/>{/if}
							<span class="grow"></span>
							{#if !disabled}<button
									class="tiny"
									aria-label="Remove column {c.label}"
									onclick={() => removeColumn(i)}>✕</button
								>{/if}
						</li>
					{/each}
				</ul>
				{#if !disabled}<button class="textlink mt-1" onclick={addColumn}>Add a column</button>{/if}
			</Collapsible.Content>
		</Collapsible.Root>

		{#key table.id}
			<Grid
				bind:this={grid}
				label="Rows of {table.label}"
				rows={table.rows}
				{columns}
				key={(_, at) => String(at)}
				ordered
				remember="table {table.id}"
				editing={disabled ? undefined : editing}
				look={(c) => (c.id === END ? '' : keyed(c) ? 'key mono' : 'mono')}
				moving={disabled ? undefined : { can: (c) => c.id !== END, move: moveColumn }}
			>
				{#snippet bar()}
					<span class="text-quiet"
						>{formatCount(table.rows.length)} rows. Cells copied in a spreadsheet can be pasted from any
						cell on.</span
					>
					{#if !disabled}<button class="textlink" onclick={addRow}>Add a row</button>{/if}
				{/snippet}
				{#snippet cell(row, c, at)}
					{#if c.id === END}
						{#if !disabled}<button
								class="tiny"
								aria-label="Remove row {at + 1}"
								onclick={() =>
									edit('remove row', (t) => ({ rows: t.rows.filter((_, x) => x !== at) }))}
								>✕</button
							>{/if}
						{#if doubles.has(at)}<span class="px-1 font-sans text-xs text-ochre"
								>▲ key of row {doubles.get(at)! + 1}</span
							>{/if}
					{:else}{editing.text(row, c)}{/if}
				{/snippet}
				{#snippet empty()}No rows yet. Add one, or take them from a CSV file.{/snippet}
			</Grid>
		{/key}
	{:else}
		<p>There is no such table in the draft. <a class="textlink" href="/tables">All tables</a></p>
	{/if}
</div>

<style>
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
