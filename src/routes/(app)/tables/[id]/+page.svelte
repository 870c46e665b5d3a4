<script lang="ts">
	/** One reference table: its columns and keys, and its rows in a grid. */
	import Here from '$lib/shell/Here.svelte';
	import { Collapsible } from 'bits-ui';
	import { onMount, untrack } from 'svelte';
	import { goto, invalidate } from '$app/navigation';
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
		cellText,
		doubledRows,
		own,
		readCellText,
		rowsFromCells,
		tableToCells,
		usesOf
	} from '$core';
	import Editors from '$lib/tables/Editors.svelte';
	import Edits from '$lib/tables/Edits.svelte';
	import Incoming from '$lib/tables/Incoming.svelte';
	import PutInForce from '$lib/tables/PutInForce.svelte';
	import RowsGrid from '$lib/tables/RowsGrid.svelte';
	import { LiveRows } from '$lib/tables/live.svelte';
	import { offerFile, readCells, writeCells } from '$lib/work/csv';
	import { TYPE_NAME, formatCount } from '$lib/words/format';
	import { Reorder } from '$lib/grid/reorder.svelte';
	import Choose from '$lib/inputs/Choose.svelte';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { params, data } = $props();
	const w = useWorkbench();
	const drawn = $derived(w.draft.tables?.find((t) => t.id === params.id));
	/** The table as it is in force, where its rows are edited there. */
	const force = $derived(w.force.set.tables?.find((t) => t.id === params.id && t.living) ?? null);
	const asksForce = $derived(page.url.searchParams.has('in-force'));
	/** In the draft it is living too, or it is not looked at from the draft. */
	const inForce = $derived(!!force && (!drawn || !!drawn.living || asksForce));
	/** Of the draft; what only is in force is shown as it is there. */
	const table = $derived(drawn ?? force ?? undefined);
	const uses = $derived(table ? usesOf(w.draft, { table: table.id }) : []);
	const disabled = $derived(!w.canEdit || !drawn);
	const edit = (label: string, change: (t: ReferenceTable) => Partial<ReferenceTable>) =>
		table && w.setTable(label, { ...table, ...change(table) });

	// ---- rows: of the draft, or in force ------------------------------------------------------

	const stands = $derived(own(w.living.rows, params.id) ?? []);
	const place = $derived(`rows.${w.account.id}.${params.id}`);
	/** The edit of each table that was opened: one of its own for each, as long as that is open. */
	const live = $derived(
		new LiveRows(
			place,
			() => table ?? NONE,
			() => stands
		)
	);
	const NONE: ReferenceTable = { id: '', label: '', why: '', columns: [], keys: [], rows: [] };
	const mayEdit = $derived(inForce && data.mayEdit);
	/** With the rows that are shown. */
	const shown = $derived(inForce ? live.table : (table ?? NONE));
	$effect(() => {
		if (!mayEdit) return;
		const mine = live;
		untrack(() => mine.takeUp());
		w.instead = mine;
		return () => (w.instead = null);
	});

	/** A look at the records, or what follows it, is under way. */
	const following = $derived(
		data.edits.some(
			(e) =>
				(e.looked && !ENDED.has(e.looked)) || e.bulks.some((b) => b.state && !ENDED.has(b.state))
		)
	);
	const ENDED = new Set(['done', 'failed', 'cancelled']);
	onMount(() => {
		const timer = setInterval(() => {
			if (following && !document.hidden) void invalidate('app:edits');
		}, 1000);
		return () => clearInterval(timer);
	});

	function put(label: string, rows: { at: number; row: JsonValue[] }[]) {
		if (inForce) return live.put(rows);
		edit(label, (t) => {
			const next = [...t.rows];
			for (const { at, row } of rows) next[at] = row;
			return { rows: next };
		});
	}
	function remove(at: number) {
		if (inForce) live.remove(at);
		else edit('remove row', (t) => ({ rows: t.rows.filter((_, x) => x !== at) }));
	}
	/** Whether the rows are released with the rules; those that stand begin the draft's. */
	function setLiving(living: boolean) {
		if (!table) return;
		const { living: _, ...rest } = table;
		if (living) w.setTable('rows', { ...rest, living: true, rows: force ? [] : table.rows });
		else
			w.setTable('rows', {
				...rest,
				rows: table.rows.length ? table.rows : (w.schema.tables.get(table.id)?.rows ?? [])
			});
	}
	/** The address with older edits besides. */
	function moreEdits() {
		const q = new URLSearchParams(page.url.searchParams);
		q.set('edits', String(data.edits.length + 100));
		return `?${q.toString()}`;
	}
	const IS = { same: '', new: 'new', changed: 'changed', gone: 'taken away' };
	const markOf = (at: number) => (live.shown[at]?.is === 'gone' ? 'line-through' : '');

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
	const fresh = $derived(!inForce && !!table?.rows.every((r) => r.every((v) => v === null)));
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

	const MISSING = $derived([
		{ value: '', label: 'is not decided' },
		{ value: 'nothing', label: 'gives nothing' },
		{ value: 'leave', label: 'leaves the field as it is' },
		{
			value: 'mistake',
			label: `is a mistake: it ${table?.living ? 'is told as a finding' : 'stops a release'}`
		}
	]);

	// ---- files ----------------------------------------------------------------------------------

	let said = $state<{ text: string; bad: boolean } | null>(null);
	function exportCsv() {
		offerFile(`${table!.label}.csv`, writeCells(tableToCells(shown, w.schema)), 'text/csv');
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
		if (inForce) live.replace(rows);
		else edit('import', () => ({ rows }));
		said = {
			text: inForce
				? live.edits.length
					? `${formatCount(rows.length)} rows from ${file}: what they would change stands below, and is not in force yet.`
					: `${formatCount(rows.length)} rows from ${file}: they are what stands here already.`
				: `${formatCount(rows.length)} rows from ${file}. Undo brings the old rows back.`,
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
			<span class="font-semibold">Its rows</span>
			<Choose
				label="Where its rows are edited"
				value={table.living ? 'living' : ''}
				{disabled}
				plain
				choices={[
					{ value: '', label: 'are released with the rules' },
					{ value: 'living', label: 'are edited in force, by those who keep them' }
				]}
				onpick={(v) => setLiving(v === 'living')}
			/>
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
			{#if inForce}<a class="textlink" href="/tables/{table.id}/rows" download>As JSON</a>{/if}
			{#if inForce ? mayEdit : !disabled}
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
			{/if}
			{#if !disabled}
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

		{#if force}
			<p class="mt-1 flex flex-wrap items-center gap-x-4 text-sm">
				{#if inForce}
					<span
						>{mayEdit ? 'What you put in force counts at once.' : 'They count at once.'} Rows are
						<Editors
							table={table.id}
							editors={data.editors}
							people={data.people}
							onfault={(text) => (said = { text, bad: true })}
						/></span
					>
				{:else}
					<span class="text-ochre"
						>▲ From the next release on the rows below are part of the draft.</span
					>
				{/if}
				{#if drawn && !drawn.living}<a
						class="textlink"
						href={inForce ? `/tables/${table.id}` : `/tables/${table.id}?in-force`}
						>{inForce ? 'The rows of the draft' : 'The rows in force'}</a
					>{/if}
			</p>
			<Edits
				{table}
				edits={data.edits}
				more={data.more}
				mayEdit={data.mayEdit}
				onmore={() => void goto(moreEdits(), { keepFocus: true, noScroll: true })}
				ondone={(text) => (said = { text, bad: false })}
			/>
		{:else if table.living}
			<p class="mt-1 text-sm">
				From the next release on they are edited in force. They begin as the rows below.
			</p>
		{/if}
		{#if mayEdit && live.edits.length}
			<PutInForce {live} {table} ondone={(text) => (said = { text, bad: false })} />
		{/if}

		{#if w.living.away.includes(table.id)}<p class="mt-2 text-quiet">Its rows are on their way …</p>
		{:else}
			{#key `${table.id} ${inForce}`}
				<RowsGrid
					table={shown}
					disabled={inForce ? !mayEdit : disabled}
					onput={put}
					onremove={remove}
					onmove={disabled ? undefined : moveColumn}
					onfault={(text) => (said = { text, bad: true })}
					mark={inForce ? markOf : undefined}
					end={mayEdit ? rowEnd : undefined}
				/>
			{/key}
		{/if}
	{:else}
		<p>There is no such table in the draft. <a class="textlink" href="/tables">All tables</a></p>
	{/if}
</div>

{#snippet rowEnd(at: number)}
	{@const row = live.shown[at]}
	<button
		class="tiny"
		aria-label={row?.is === 'gone' ? `Put row ${at + 1} back` : `Remove row ${at + 1}`}
		onclick={() => remove(at)}>{row?.is === 'gone' ? '↩' : '✕'}</button
	>
	{#if row && row.is !== 'same'}<span
			class="px-1 font-sans text-xs {row.theirs === undefined ? 'text-brass-ink' : 'text-ochre'}"
			>{row.theirs === undefined ? '' : '▲ '}{IS[row.is]}</span
		>{/if}
{/snippet}

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
