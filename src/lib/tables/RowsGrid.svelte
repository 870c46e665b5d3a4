<script lang="ts">
	/** The rows of a reference table in a grid: written by keys, pasted from a spreadsheet, checked while they are. */
	import type { FieldType, JsonValue, ReferenceTable, TableColumn } from '$core';
	import { cellFault, doubledRows, looseKey, readCellText } from '$core';
	import type { Snippet } from 'svelte';
	import { page } from '$app/state';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import { ask, type Refused } from '$lib/work/http';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import { formatCount } from '$lib/words/format';
	import { sayCell } from './words';

	let {
		table,
		disabled,
		onput,
		onremove,
		onmove,
		onfault,
		mark,
		end
	}: {
		/** With the rows that are shown. */
		table: ReferenceTable;
		disabled: boolean;
		/** Rows in the place of those that are shown, by place; one beyond them is new. */
		onput: (label: string, rows: { at: number; row: JsonValue[] }[]) => void;
		onremove: (at: number) => void;
		/** Columns are put into another order; left out where they are not. */
		onmove?: (from: number, to: number) => void;
		/** A typed link that is none. */
		onfault: (message: string) => void;
		/** Class of a row. */
		mark?: (at: number) => string;
		/** In the place of the button that takes a row away; the second is that it has the key of another. */
		end?: Snippet<[at: number]>;
	} = $props();

	const w = useWorkbench();
	type Row = readonly JsonValue[];
	/** The row's ways out: a column of its own, behind those of the table. */
	const END = ' end';
	const doubles = $derived(doubledRows(table));
	let grid = $state<{ goTo(place: number, column: number, into?: boolean): Promise<void> }>();
	const NUMERIC: FieldType[] = ['number', 'money', 'percent'];
	const sized = (c: TableColumn, v: JsonValue) => {
		const numeric = NUMERIC.includes(c.type) && (typeof v === 'number' || typeof v === 'string');
		const n = numeric && v !== '' ? Number(v) : NaN;
		return Number.isNaN(n) ? shown(c, v) || null : n;
	};
	/** The very same as long as only rows are edited: what the grid makes of them stays. */
	const own = $derived(table.columns);
	const columns = $derived<GridColumn<Row>[]>([
		...own.map((c, i) => ({
			id: c.id,
			label: c.label,
			value: (r: Row) => sized(c, r[i] ?? null),
			text: (r: Row) => shown(c, r[i] ?? null),
			numeric: NUMERIC.includes(c.type),
			width: 180
		})),
		{ id: END, label: 'More', value: () => null, plain: true, width: 120, grow: true }
	]);
	const place = (c: GridColumn<Row>) => table.columns.findIndex((x) => x.id === c.id);
	const keyed = (c: GridColumn<Row>) =>
		table.keys.some((k) =>
			k.match === 'range' ? k.from === c.id || k.to === c.id : k.column === c.id
		);
	const editing = {
		text: (r: Row, c: GridColumn<Row>) => {
			const i = place(c);
			return shown(table.columns[i], r[i] ?? null);
		},
		fault: (r: Row, c: GridColumn<Row>) => {
			const i = place(c);
			return cellFault(table.columns[i], r[i] ?? null, w.schema);
		},
		set: (at: number, c: GridColumn<Row>, text: string) => {
			const i = place(c);
			if (table.columns[i].type === 'link') void setLink(at, i, table.columns[i], text);
			else setCell(at, i, text);
		},
		paste: (at: number, c: GridColumn<Row>, cells: string[][]) => paste(at, place(c), cells),
		add: () => addRow()
	};
	// a finding leads to its row
	let told = '';
	$effect(() => {
		const asked = page.url.searchParams.get('row');
		if (!asked || asked === told || !grid) return;
		told = asked;
		const at = Number(asked) - 1;
		if (at >= 0 && at < table.rows.length) void grid.goTo(at, 0);
	});

	function setCell(row: number, column: number, text: string) {
		const { value } = readCellText(table.columns[column], text, w.schema);
		const had = table.rows[row];
		onput(`cell ${row} ${column}`, [
			{ at: row, row: table.columns.map((_, k) => (k === column ? value : (had[k] ?? null))) }
		]);
	}
	const shown = (c: TableColumn, v: JsonValue) => sayCell(w, c, v);
	/** A link is typed by title: the one record that is called so, or what was typed, with what is wrong. */
	async function setLink(row: number, column: number, c: TableColumn, typed: string) {
		const text = typed.trim().replace(/^No\. (\d+)$/, '$1');
		if (!text || /^\d+$/.test(text)) return setCell(row, column, text);
		let all: { id: string; title: string }[] = [];
		try {
			all = await ask(`/look/links?type=${c.target}&find=${encodeURIComponent(text)}`);
		} catch (e) {
			return onfault(`Row ${row + 1}: ${(e as Refused).message}`);
		}
		const same = all.filter((x) => looseKey(x.title) === looseKey(text));
		if (same.length === 1) w.titles.learn({ [`${c.target}.${same[0].id}`]: same[0].title });
		setCell(row, column, same.length === 1 ? same[0].id : text);
		const label = w.schema.types.get(c.target ?? '')?.type;
		if (same.length !== 1)
			onfault(
				`Row ${row + 1}: ${same.length ? `several ${label?.plural.toLowerCase()} are` : `no ${label?.label.toLowerCase()} is`} called “${text}”.`
			);
	}
	/** Cells from a spreadsheet fill the grid from here on; rows are added as needed. */
	function paste(row: number, column: number, lines: string[][]) {
		onput(
			'paste',
			lines.map((cells, i) => {
				const to = table.columns.map((_, k): JsonValue => table.rows[row + i]?.[k] ?? null);
				cells.forEach((cell, k) => {
					const c = table.columns[column + k];
					if (c) to[column + k] = readCellText(c, cell, w.schema).value;
				});
				return { at: row + i, row: to };
			})
		);
	}
	function addRow() {
		const at = table.rows.length;
		onput('add row', [{ at, row: table.columns.map(() => null) }]);
		void grid?.goTo(at, 0);
	}
</script>

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
	mark={mark && ((_, at) => mark(at))}
	moving={disabled || !onmove ? undefined : { can: (c) => c.id !== END, move: onmove }}
>
	{#snippet bar()}
		<span class="text-quiet"
			>{formatCount(table.rows.length)} rows. {disabled
				? ''
				: 'Cells copied in a spreadsheet can be pasted from any cell on.'}</span
		>
		{#if !disabled}<button class="textlink" onclick={addRow}>Add a row</button>{/if}
	{/snippet}
	{#snippet cell(row, c, at)}
		{#if c.id === END}
			{#if end}{@render end(at)}{:else if !disabled}<button
					class="tiny"
					aria-label="Remove row {at + 1}"
					onclick={() => onremove(at)}>✕</button
				>{/if}
			{#if doubles.has(at)}<span class="px-1 font-sans text-xs text-ochre"
					>▲ key of row {doubles.get(at)! + 1}</span
				>{/if}
		{:else}{editing.text(row, c)}{/if}
	{/snippet}
	{#snippet empty()}No rows yet. Add one, or take them from a CSV file.{/snippet}
</Grid>

<style>
	.tiny {
		min-width: 24px;
		min-height: 24px;
	}
</style>
