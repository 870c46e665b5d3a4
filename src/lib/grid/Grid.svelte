<script lang="ts" generics="T">
	/**
	 * Rows and columns as the grid pattern of the ARIA practices has them: one tab stop, arrow keys from
	 * cell to cell, Enter goes into a cell and Escape comes out. It sorts, filters, and its columns have
	 * widths. Of many rows only those in view are drawn.
	 */
	import { createVirtualizer } from '@tanstack/svelte-virtual';
	import { tick, untrack, type Snippet } from 'svelte';
	import { formatCount } from '../words/format';
	import Choose from '../inputs/Choose.svelte';
	import { cellOf, type GridColumn } from './columns';
	import { Reorder } from './reorder.svelte';
	import { gridTable, type Sorted } from './table.svelte';

	/** Cells that are written: a cell is entered by Enter, F2, a second click or by typing. */
	interface Editing<T> {
		/** What stands in the input when a cell is entered. */
		text: (row: T, c: GridColumn<T>) => string;
		fault: (row: T, c: GridColumn<T>) => string | null;
		set: (at: number, c: GridColumn<T>, text: string) => void;
		/** Cells copied elsewhere, from this cell on to the right and down. */
		paste: (at: number, c: GridColumn<T>, cells: string[][]) => void;
		/** Enter in the last row makes another. */
		add: () => void;
	}

	let {
		label,
		rows,
		columns,
		key,
		cell,
		name = (c) => c.label,
		header,
		plainHead,
		detail,
		empty,
		bar,
		look,
		mark,
		remember,
		ordered = false,
		sorted,
		onsort,
		filters = true,
		editing,
		move,
		moving
	}: {
		label: string;
		rows: readonly T[];
		columns: readonly GridColumn<T>[];
		key: (row: T, at: number) => string;
		/** The content of a cell; `at` is the row's place in `rows`. */
		cell: Snippet<[row: T, c: GridColumn<T>, at: number]>;
		/** What a cell's column is called to those who hear it. */
		name?: (c: GridColumn<T>) => string;
		/** More in the head of a column than its label. */
		header?: Snippet<[c: GridColumn<T>, tools: Snippet]>;
		/** In the head of a plain column, in the place of its label, which is heard and not seen. */
		plainHead?: Snippet<[c: GridColumn<T>]>;
		/** Below a row, across its width: nothing for a row that is closed. */
		detail?: Snippet<[row: T]>;
		empty?: Snippet;
		/** Beside the filter. */
		bar?: Snippet;
		/** Class of a column's head and cells. */
		look?: (c: GridColumn<T>) => string;
		/** Class of a row. */
		mark?: (row: T, at: number) => string;
		/** The grid's name by which this browser keeps the widths of its columns. */
		remember?: string;
		/** The rows' own order means something: a first column numbers it. */
		ordered?: boolean;
		/** Sorted by whoever gives the rows: how they are, and what a click on a head asks for. */
		sorted?: Sorted | null;
		onsort?: (sorted: Sorted | null) => void;
		filters?: boolean;
		editing?: Editing<T>;
		/** Rows can be dragged to another place, while they stand in their own order. */
		move?: (from: number, to: number) => void;
		/** Columns can be dragged among those that can be. */
		moving?: { can: (c: GridColumn<T>) => boolean; move: (from: number, to: number) => void };
	} = $props();

	/** Width of the column that numbers the rows. */
	const NUMBER = 44;
	const table = gridTable<T>({
		rows: () => rows,
		columns: () => columns,
		key: (row, at) => key(row, at),
		sorted: () => sorted,
		onsort: () => onsort,
		// svelte-ignore state_referenced_locally
		remember
	});
	const shown = $derived(table.shown);
	const way = $derived(table.way);
	/** As `rows` has them, none left out. */
	const plainOrder = $derived(!way && !table.filtered);
	const total = $derived((ordered ? NUMBER : 0) + columns.reduce((n, c) => n + table.width(c), 0));
	let filtering = $state(false);

	// ---- only what is in view -------------------------------------------------------------------

	/** Up to this many rows all are drawn. */
	const ALL = 200;
	const few = $derived(shown.length <= ALL);
	let frame = $state<HTMLDivElement>();
	const virtual = createVirtualizer<HTMLDivElement, HTMLTableSectionElement>({
		count: 0,
		getScrollElement: () => frame ?? null,
		estimateSize: () => 33,
		initialRect: { width: 800, height: 420 },
		overscan: 8
	});
	$effect.pre(() => {
		const count = shown.length;
		const element = frame ?? null;
		untrack(() => {
			// what grows in view must not carry the view away; rows above it that are measured late may
			const rows = $virtual;
			rows.shouldAdjustScrollPositionOnItemSizeChange = (item, _delta, { scrollOffset }) =>
				!few && item.end <= (scrollOffset ?? 0);
			rows.setOptions({ count, getScrollElement: () => element });
		});
	});
	const inView = $derived(few ? [] : $virtual.getVirtualItems());
	const first = $derived(few ? 0 : (inView[0]?.index ?? 0));
	const last = $derived(few ? shown.length : (inView.at(-1)?.index ?? -1) + 1);
	const before = $derived(inView[0]?.start ?? 0);
	const after = $derived(few ? 0 : $virtual.getTotalSize() - (inView.at(-1)?.end ?? 0));
	function measure(node: HTMLTableSectionElement) {
		untrack(() => $virtual.measureElement(node));
	}

	// ---- from cell to cell ----------------------------------------------------------------------

	/** Where the keyboard is: row -1 is the head; columns count the number's. */
	let at = $state({ r: 0, c: 0 });
	/** The cell that is entered: its own controls have the keys. */
	let inside = $state(false);
	let draft = $state<string | null>(null);
	const lead = $derived(ordered ? 1 : 0);
	const count = $derived(columns.length + lead);
	/** The one cell that Tab comes to: where the keyboard was, if it is drawn. */
	const stop = $derived({
		r: at.r < 0 || !shown.length ? -1 : Math.min(Math.max(at.r, first), Math.max(first, last - 1)),
		c: Math.min(at.c, count - 1)
	});
	const WIDGETS =
		'a[href], button, input, textarea, [data-handle], [role="combobox"], [contenteditable="true"]';
	const cellAt = (r: number, c: number) =>
		frame?.querySelector<HTMLElement>(`[data-at="${r} ${c}"]`) ?? null;
	const widgets = (el: HTMLElement) => [...el.querySelectorAll<HTMLElement>(WIDGETS)];

	/** What stands in cells is no tab stop of its own, but in the cell that is entered. */
	function guard(node: HTMLElement) {
		const settle = () => {
			for (const w of node.querySelectorAll<HTMLElement>(WIDGETS)) {
				const own = w.closest<HTMLElement>('[data-at]');
				if (!own) continue;
				const tab = inside && own.dataset.at === `${at.r} ${at.c}` ? 0 : -1;
				if (w.tabIndex !== tab) w.tabIndex = tab;
			}
		};
		const seen = new MutationObserver(settle);
		seen.observe(node, { childList: true, subtree: true });
		$effect(() => {
			void [at, inside, first, last, shown];
			void tick().then(settle);
		});
		return { destroy: () => seen.disconnect() };
	}
	async function go(r: number, c: number, into = false) {
		const to = {
			r: Math.min(Math.max(r, -1), shown.length - 1),
			c: Math.min(Math.max(c, 0), count - 1)
		};
		at = to;
		inside = false;
		if (!few && to.r >= 0 && !cellAt(to.r, to.c)) $virtual.scrollToIndex(to.r, { align: 'auto' });
		for (let i = 0; i < 20; i++) {
			await tick();
			const el = cellAt(to.r, to.c);
			if (el) {
				el.focus();
				if (into) enter(el);
				return;
			}
			await new Promise(requestAnimationFrame);
		}
	}
	/** Goes to a cell by the row's place in `rows`; into it, if asked. */
	export async function goTo(place: number, column: number, into = false) {
		await tick();
		const r = shown.findIndex((x) => x.original.at === place);
		if (r >= 0) await go(r, column + lead, into);
	}
	function enter(el: HTMLElement, text?: string) {
		const c = columns[at.c - lead];
		if (editing && at.r >= 0 && c && !c.plain) {
			draft = text ?? editing.text(shown[at.r].original.row, c);
			inside = true;
			void tick().then(() => {
				const box = el.querySelector('input');
				box?.focus();
				if (text === undefined) box?.select();
			});
			return;
		}
		const all = widgets(el);
		if (all.length === 1 && all[0].matches('a, button:not([role="combobox"])')) {
			all[0].click();
			return;
		}
		if (!all.length) return;
		inside = true;
		all[0].tabIndex = 0;
		all[0].focus();
	}
	/** Keeps what was typed into a cell. */
	function keep() {
		if (draft === null || !editing) return;
		const text = draft;
		draft = null;
		const line = shown[at.r]?.original;
		const c = columns[at.c - lead];
		if (line && c && text !== editing.text(line.row, c)) editing.set(line.at, c, text);
	}
	const PAGE = 10;
	function keys(e: KeyboardEvent) {
		const el = (e.target as HTMLElement).closest<HTMLElement>('[data-at]');
		if (!el) return;
		const ctrl = e.ctrlKey || e.metaKey;
		const done = () => {
			e.preventDefault();
			e.stopPropagation();
		};
		if (e.target !== el) {
			// in a cell: its control has the keys, all but the way out
			if (e.key === 'Escape' && !e.defaultPrevented) {
				draft = null;
				done();
				void go(at.r, at.c);
			} else if (draft !== null && (e.key === 'Enter' || e.key === 'Tab') && !e.isComposing) {
				done();
				const { r, c } = at;
				keep();
				const end = r === shown.length - 1;
				if (e.key === 'Tab') void go(r, c + (e.shiftKey ? -1 : 1));
				else if (end && !e.shiftKey && plainOrder) editing!.add();
				else void go(r + (e.shiftKey ? -1 : 1), c);
			}
			return;
		}
		const { r, c } = at;
		const to: Record<string, [number, number]> = {
			ArrowUp: [r - 1, c],
			ArrowDown: [r + 1, c],
			ArrowLeft: [r, c - 1],
			ArrowRight: [r, c + 1],
			PageUp: [Math.max(0, r - PAGE), c],
			PageDown: [r + PAGE, c],
			Home: [ctrl ? 0 : r, 0],
			End: [ctrl ? shown.length - 1 : r, count - 1]
		};
		if (e.altKey && r < 0 && (e.key === 'ArrowLeft' || e.key === 'ArrowRight')) {
			const col = columns[c - lead];
			done();
			if (col) table.widen(col, e.key === 'ArrowRight' ? 16 : -16);
		} else if (to[e.key] && !e.altKey) {
			done();
			void go(...to[e.key]);
		} else if (e.key === 'Enter' || e.key === 'F2') {
			done();
			enter(el);
		} else if (editing && r >= 0 && columns[c - lead] && !columns[c - lead].plain) {
			if (e.key === 'Delete' || e.key === 'Backspace') {
				done();
				editing.set(shown[r].original.at, columns[c - lead], '');
			} else if (e.key.length === 1 && !ctrl && !e.altKey) {
				done();
				enter(el, e.key);
			}
		}
	}
	/** A cell that is clicked has the keyboard; clicked again, it is entered. */
	function press(e: MouseEvent) {
		const el = (e.target as HTMLElement).closest<HTMLElement>('[data-at]');
		if (!el || (e.target as HTMLElement).closest(WIDGETS)) return;
		const [r, c] = el.dataset.at!.split(' ').map(Number);
		const again = document.activeElement === el;
		at = { r, c };
		inside = false;
		if (!again) return;
		e.preventDefault();
		if (r >= 0 && editing) enter(el);
	}
	function focused(e: FocusEvent) {
		const el = (e.target as HTMLElement).closest<HTMLElement>('[data-at]');
		if (!el) return;
		const [r, c] = el.dataset.at!.split(' ').map(Number);
		if (r !== at.r || c !== at.c) at = { r, c };
		inside = e.target !== el;
	}
	const lineBreak = /\r\n?|\n/;
	function paste(e: ClipboardEvent) {
		const c = columns[at.c - lead];
		const text = e.clipboardData?.getData('text/plain') ?? '';
		const cells = text
			.replace(/\s+$/, '')
			.split(lineBreak)
			.map((l) => l.split('\t'));
		const several = cells.length > 1 || cells[0].length > 1;
		if (!editing || at.r < 0 || !c || c.plain || !text || (draft !== null && !several)) return;
		e.preventDefault();
		draft = null;
		editing.paste(shown[at.r].original.at, c, cells);
		void go(at.r, at.c);
	}
	function copy(e: ClipboardEvent) {
		const c = columns[at.c - lead];
		if (draft !== null || at.r < 0 || !c || getSelection()?.toString()) return;
		e.preventDefault();
		e.clipboardData?.setData('text/plain', cellOf(c, shown[at.r].original.row));
	}

	// ---- dragging -------------------------------------------------------------------------------

	const reorder = new Reorder<{ id: string }>({
		items: () => shown.map((r) => ({ id: r.id })),
		label: () => label,
		disabled: () => !move || !plainOrder,
		move: (from, to) => move?.(from, to)
	});
	const heading = new Reorder<{ id: string }>({
		items: () => [...(ordered ? [{ id: '#' }] : []), ...columns.map((c) => ({ id: c.id }))],
		label: () => `the columns of ${label}`,
		disabled: () => !moving,
		move: (from, to) => {
			const able = columns.flatMap((c, i) => (moving?.can(c) ? [i] : []));
			if (!able.includes(from - lead)) return;
			const place = Math.min(Math.max(to - lead, able[0]), able.at(-1)!);
			if (place !== from - lead) moving?.move(from - lead, place);
		}
	});
	const byId = $derived(new Map(shown.map((r) => [r.id, r])));
	type Row = (typeof shown)[number];
</script>

{#snippet cells(row: Row, r: number)}
	{@const l = row.original}
	{#if ordered}
		<th
			class="n mono"
			scope="row"
			role="rowheader"
			aria-colindex={1}
			data-at="{r} 0"
			tabindex={stop.r === r && stop.c === 0 ? 0 : -1}
			>{#if move && plainOrder}<span
					class="grip"
					{...reorder.handle(
						reorder.shown.findIndex((x) => x.id === row.id),
						`row ${l.at + 1}`
					)}>{l.at + 1}</span
				>{:else}{l.at + 1}{/if}</th
		>
	{/if}
	{#each columns as c, i (c.id)}
		{@const fault = editing && !c.plain ? editing.fault(l.row, c) : null}
		{@const writing =
			draft !== null && inside && at.r === r && at.c === i + lead && editing && !c.plain}
		<td
			role="gridcell"
			aria-colindex={i + 1 + lead}
			aria-invalid={fault ? true : undefined}
			aria-readonly={editing ? undefined : true}
			title={fault ?? undefined}
			class="{c.numeric ? 'num' : ''} {fault ? 'bad' : ''} {look?.(c) ?? ''}"
			class:writing
			data-at="{r} {i + lead}"
			tabindex={stop.r === r && stop.c === i + lead ? 0 : -1}
			>{#if writing}<input
					class="mono"
					aria-label="{name(c)}, row {l.at + 1}"
					bind:value={draft}
					onblur={keep}
				/>{:else}{@render cell(l.row, c, l.at)}{/if}</td
		>
	{/each}
{/snippet}

<div class="flex min-h-0 flex-col">
	{#if filters || bar}
		<div class="flex min-h-7 items-center gap-4 pb-1 text-sm">
			{#if filters}
				<button
					class="textlink"
					aria-expanded={filtering}
					onclick={() => {
						filtering = !filtering;
						if (!filtering) table.unfilter();
					}}>{filtering ? 'Show all again' : 'Filter'}</button
				>
				<span class="text-quiet" role="status"
					>{#if table.filtered}{formatCount(shown.length)} of {formatCount(rows.length)} shown{/if}</span
				>
			{/if}
			{#if way && ordered}<button class="textlink" onclick={() => table.unsort()}
					>Back to their own order</button
				>{/if}
			{#if bar}<span class="grow"></span>{@render bar()}{/if}
		</div>
	{/if}
	<div class="frame" bind:this={frame}>
		<table
			role="grid"
			aria-label={label}
			aria-rowcount={shown.length + 1}
			aria-colcount={count}
			style:min-width="{total}px"
			onkeydown={keys}
			onmousedown={press}
			onfocusin={focused}
			onpaste={paste}
			oncopy={copy}
			use:guard
		>
			<colgroup>
				{#if ordered}<col style:width="{NUMBER}px" />{/if}
				{#each columns as c (c.id)}<col
						style:width={c.grow && !table.sized(c.id) ? undefined : `${table.width(c)}px`}
					/>{/each}
			</colgroup>
			<thead>
				<tr aria-rowindex={1} use:heading.zone={!!moving}>
					{#each heading.shown as h, k (h.id)}
						{@const i = columns.findIndex((c) => c.id === h.id)}
						{@const c = columns[i]}
						{@const head = table.head(h.id)}
						{@const sort = way?.id === h.id ? (way.desc ? 'descending' : 'ascending') : 'none'}
						{#if !c}<th
								class="n"
								role="columnheader"
								aria-colindex={1}
								data-at="-1 0"
								tabindex={stop.r < 0 && stop.c === 0 ? 0 : -1}><span class="sr-only">Row</span></th
							>{:else}<th
								role="columnheader"
								aria-colindex={i + 1 + lead}
								aria-sort={c.plain ? undefined : sort}
								class="{c.numeric ? 'num' : ''} {look?.(c) ?? ''}"
								data-at="-1 {i + lead}"
								tabindex={stop.r < 0 && stop.c === i + lead ? 0 : -1}
							>
								{#snippet tools()}
									<button
										class="sort"
										aria-label="Sort by {c.label}"
										title="Sort by {c.label}"
										onclick={() => table.sortBy(c.id)}
										>{sort === 'none' ? '↕' : sort === 'ascending' ? '↑' : '↓'}</button
									>
									{#if moving?.can(c)}<span class="grip" {...heading.handle(k, c.label, true)}
											>⠿</span
										>{/if}
								{/snippet}
								<span class="flex items-start {c.numeric ? 'justify-end' : ''}">
									{#if c.plain}{#if plainHead}{@render plainHead(c)}{:else}<span class="sr-only"
												>{c.label}</span
											>{/if}{:else if header}
										<span class="min-w-0 grow">{@render header(c, tools)}</span>
									{:else}<button
											class="head"
											title="Sort by {c.label}"
											onclick={() => table.sortBy(c.id)}
											>{c.label}<span aria-hidden="true"
												>{sort === 'none' ? '' : sort === 'ascending' ? ' ↑' : ' ↓'}</span
											></button
										>{/if}
									{#if moving?.can(c) && !header}<span
											class="grip"
											{...heading.handle(k, c.label, true)}>⠿</span
										>{/if}
								</span>
								{#if head}
									<!-- svelte-ignore a11y_no_static_element_interactions -->
									<span
										class="edge"
										class:going={head.column.getIsResizing()}
										title="Drag for another width, or Alt ← → on the heading; double-click for the first"
										onmousedown={(e) => {
											e.stopPropagation();
											head.getResizeHandler()(e);
										}}
										ontouchstart={head.getResizeHandler()}
										ondblclick={() => table.unsize(c.id)}
									></span>
								{/if}
							</th>{/if}
					{/each}
				</tr>
				{#if filtering}
					<tr class="filters">
						{#if ordered}<td role="gridcell" class="n"></td>{/if}
						{#each columns as c (c.id)}
							<td role="gridcell">
								{#if c.plain}&nbsp;{:else if c.pick}
									<Choose
										label="Filter by {c.label}"
										value={table.typed(c.id)}
										plain
										class="w-full text-xs"
										choices={[
											{ value: '', label: 'all' },
											...table.picks(c).map((v) => ({ value: v, label: v }))
										]}
										onpick={(v) => table.filter(c.id, v)}
									/>
								{:else}<input
										class="box"
										aria-label="Filter by {c.label}"
										placeholder={c.numeric ? '> 10, 5..20' : 'has …'}
										value={table.typed(c.id)}
										oninput={(e) => table.filter(c.id, e.currentTarget.value)}
									/>{/if}
							</td>
						{/each}
					</tr>
				{/if}
			</thead>
			{#if !shown.length}
				<tbody
					><tr
						><td role="gridcell" colspan={count} class="text-quiet"
							>{#if table.filtered}None of {formatCount(rows.length)} passes the filter.{:else}{@render empty?.()}{/if}</td
						></tr
					></tbody
				>
			{:else if move && few}
				<tbody use:reorder.zone={plainOrder}>
					{#each reorder.shown as item, r (item.id)}
						{@const row = byId.get(item.id)}
						<tr
							aria-rowindex={r + 2}
							class={row ? mark?.(row.original.row, row.original.at) : ''}
							data-dragged={item.id}
							>{#if row}{@render cells(row, r)}{/if}</tr
						>
					{/each}
				</tbody>
			{:else}
				{#if before}<tbody aria-hidden="true"><tr style:height="{before}px"></tr></tbody>{/if}
				{#each shown.slice(first, last) as row, k (row.id)}
					{@const r = first + k}
					<tbody data-index={r} use:measure>
						<tr aria-rowindex={r + 2} class={mark?.(row.original.row, row.original.at) ?? ''}
							>{@render cells(row, r)}</tr
						>
						{@render detail?.(row.original.row)}
					</tbody>
				{/each}
				{#if after > 0}<tbody aria-hidden="true"><tr style:height="{after}px"></tr></tbody>{/if}
			{/if}
		</table>
	</div>
</div>

<style>
	.frame {
		min-height: 0;
		overflow: auto;
		border: 1px solid var(--color-line);
		background: var(--color-sheet);
		scroll-padding-top: 40px;
	}
	table {
		width: 100%;
		table-layout: fixed;
		border-collapse: separate;
		border-spacing: 0;
	}
	th,
	td {
		padding: 5px 10px;
		border-bottom: 1px solid var(--color-hairline);
		text-align: left;
		vertical-align: baseline;
		overflow-wrap: anywhere;
		overflow: hidden;
	}
	thead {
		position: sticky;
		top: 0;
		z-index: 2;
	}
	thead :is(th, td) {
		background: var(--color-panel);
		font-size: 12px;
		border-bottom-color: var(--color-line);
	}
	thead th:global(.key) {
		border-bottom: 2px solid var(--color-teal);
	}
	td:global(.mono) {
		font-family: var(--font-mono);
	}
	thead th {
		position: relative;
		overflow: visible;
		font-weight: 600;
		color: var(--color-quiet);
		vertical-align: bottom;
	}
	.filters td {
		padding: 2px 4px;
	}
	.filters input {
		width: 100%;
		min-width: 0;
		font-size: 12px;
	}
	.num {
		text-align: right;
	}
	.n {
		text-align: right;
		padding-inline: 4px 8px;
		color: var(--color-quiet);
		font-weight: 400;
	}
	.head {
		min-height: 24px;
		font-weight: 600;
		text-align: inherit;
	}
	.head:hover {
		color: var(--color-ink);
	}
	.sort {
		min-width: 24px;
		min-height: 24px;
		color: var(--color-field-line);
	}
	[aria-sort='ascending'] :is(.sort, .head),
	[aria-sort='descending'] :is(.sort, .head) {
		color: var(--color-ink);
	}
	.grip {
		display: inline-block;
		min-width: 24px;
		min-height: 24px;
		cursor: grab;
		text-align: right;
	}
	.sort + .grip {
		margin-right: 6px;
	}
	.edge {
		position: absolute;
		top: 0;
		right: -4px;
		bottom: 0;
		z-index: 1;
		width: 8px;
		cursor: col-resize;
		touch-action: none;
	}
	.edge::after {
		content: '';
		position: absolute;
		top: 6px;
		bottom: 6px;
		left: 3px;
		width: 1px;
		background: var(--color-line);
	}
	.edge:hover::after,
	.edge.going::after {
		width: 2px;
		background: var(--color-ink);
	}
	[data-at]:focus-visible,
	[data-at]:focus {
		outline: 2px solid var(--color-teal);
		outline-offset: -2px;
	}
	.bad {
		box-shadow: inset 3px 0 0 var(--color-brick);
		background: var(--color-brick-wash);
	}
	.writing {
		padding: 0;
	}
	.writing input {
		width: 100%;
		min-height: 30px;
		padding: 4px 9px;
		border: 0;
		background: var(--color-sheet);
		outline: 2px solid var(--color-teal);
		outline-offset: -2px;
	}
</style>
