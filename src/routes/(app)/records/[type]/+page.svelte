<script lang="ts">
	/** Records of a type as a list: which, with which columns, in what order; all of it in the address. */
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { onDestroy, untrack } from 'svelte';
	import { SvelteSet } from 'svelte/reactivity';
	import { shortened } from '$core';
	import Ask from '$lib/bulk/Ask.svelte';
	import { MOST_BULK } from '$door/bulk';
	import {
		EVERYTHING,
		listQuery,
		readColumn,
		sameList,
		MOST_ADDRESS,
		type ListAsked
	} from '$door/lists';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import ByKeys from '$lib/list/ByKeys.svelte';
	import Columns from '$lib/list/Columns.svelte';
	import Views from '$lib/list/Views.svelte';
	import Which from '$lib/list/Which.svelte';
	import { askedSoFar, columnWidth, isAmount, isFinished, sayList } from '$lib/list/list';
	import { dayIn, formatCount, formatMoment } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import { columnCell, columnField, columnLabel } from '../../../../runtime/lists';

	let { data, params } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(params.type).type);

	// ---- what is asked for: at once on the page, in the address when it is finished ---------------

	let own = $state.raw<ListAsked | null>(null);
	const asked = $derived(own ?? data.asked);
	$effect(() => {
		const { asked: told } = data;
		untrack(() => {
			if (own && sameList(own, told)) own = null;
		});
	});
	// another view or record type is begun with what it asks for itself
	const here = $derived(`${params.type} ${data.view}`);
	$effect(() => {
		void here;
		clearTimeout(timer);
		own = null;
	});
	const of = $derived(params.type);
	$effect(() => {
		void of;
		open = null;
		ticked.clear();
	});
	let open = $state<'which' | 'columns' | 'bulk' | 'keys' | null>(null);
	/** Ticked by hand, on whatever page of the list. */
	const ticked = new SvelteSet<string>();
	/** What was ticked last: with Shift, all between it and the next. */
	let lastTicked: string | null = null;
	function tick(id: string, between: boolean) {
		const ids = data.records.map((r) => r.id);
		const [from, to] = [ids.indexOf(between ? (lastTicked ?? id) : id), ids.indexOf(id)];
		const on = !ticked.has(id);
		lastTicked = id;
		for (const x of ids.slice(Math.min(from < 0 ? to : from, to), Math.max(from, to) + 1))
			if (on) ticked.add(x);
			else ticked.delete(x);
	}
	const tickedHere = $derived(data.records.filter((r) => ticked.has(r.id)).length);
	let fresh = $state(false);
	let trouble = $state<string | null>(null);
	let timer: ReturnType<typeof setTimeout> | undefined;
	onDestroy(() => clearTimeout(timer));
	const address = (next: ListAsked, more: Record<string, string> = {}) => {
		const q = listQuery(next);
		// what is as the view has it is the view's
		if (data.view !== null) q.set('view', data.view);
		if (data.view !== null && !q.has('list')) q.set('list', '{}');
		for (const [k, v] of Object.entries(more)) q.set(k, v);
		return `?${q}`;
	};
	function change(next: ListAsked) {
		own = next;
		clearTimeout(timer);
		timer = setTimeout(() => {
			const told = askedSoFar(next);
			if (!isFinished(w.schema, type.id, told.where) || sameList(told, data.asked)) return;
			const to = address(told);
			trouble =
				to.length > MOST_ADDRESS ? 'This is more than an address can hold: ask for less.' : null;
			if (!trouble) void goto(to, { keepFocus: true, noScroll: true });
		}, 250);
	}
	/** Half said: it is not in the address yet. */
	const unfinished = $derived(
		own !== null && !isFinished(w.schema, type.id, askedSoFar(own).where)
	);

	// ---- what is shown ----------------------------------------------------------------------------

	/** Undefined until it is counted. */
	let counted = $state.raw<Awaited<typeof data.count> | undefined>(undefined);
	$effect(() => {
		const asking = data.count;
		counted = undefined;
		void asking.then((n) => {
			if (asking === data.count) counted = n;
		});
	});
	type Line = (typeof data.records)[number];
	const columns = $derived(
		data.columns.flatMap((written, i) => {
			const c = readColumn(written);
			return c ? [{ written, c, i, field: columnField(w.schema, type.id, c) }] : [];
		})
	);
	const textOf = (col: (typeof columns)[number], r: Line) =>
		columnCell(w.schema, type.id, col.c, r.cells[col.i] ?? null, data.links);
	/** Where the record is that a cell names; null where it names none. */
	const linkedFrom = ({ c, i, field }: (typeof columns)[number], r: Line) => {
		const id = r.cells[i];
		if (c.k === 'since' || field?.type !== 'link' || typeof id !== 'string') return null;
		return `${field.target}.${id}` in data.links ? `/records/${field.target}/${id}` : null;
	};
	const mayBulk = $derived(w.may('import'));
	const isTitle = (written: string) => written === type.title;
	const titled = $derived(data.columns.includes(type.title));
	const grid = $derived<GridColumn<Line>[]>([
		...(mayBulk
			? [{ id: 'tick', label: 'Ticked', value: () => null, width: 38, plain: true }]
			: []),
		{ id: 'id', label: 'No.', value: (r) => Number(r.id), numeric: true, width: 70 },
		...columns.map((col) => {
			const label = columnLabel(w.schema, type.id, col.c);
			return {
				id: col.written,
				label,
				value: (r: Line) => textOf(col, r) || null,
				numeric: isAmount(col.field, col.c),
				width: isTitle(col.written) ? 210 : columnWidth(col.field, col.c, label),
				grow: isTitle(col.written)
			};
		})
	]);
	/** A cell shows the beginning of a longer text, and the whole of it to whoever points at it. */
	const MOST_SHOWN = 120;
	/** Columns before those that can be chosen. */
	const lead = $derived(mayBulk ? 2 : 1);
	const sorted = $derived(asked.sort && { id: asked.sort.column, desc: asked.sort.desc });
	const said = $derived(
		sayList(
			data.asked,
			w.schema,
			type.id,
			w.titles.all,
			(id) => w.force.set.rules.find((r) => r.id === id)?.name ?? id
		)
	);
	const today = $derived(dayIn(new Date().toISOString(), w.model.zone) ?? '');
	const file = $derived(`/lists/${type.id}?${listQuery(data.asked)}`);
	const place = $derived(page.url.searchParams.has('after') || page.url.searchParams.has('before'));
</script>

<svelte:head><title>{type.plural} · Rigid Rule</title></svelte:head>

<div class="flex h-full flex-col px-6 pt-3 pb-3">
	<div class="flex flex-wrap items-center gap-3">
		<h1 class="text-xl">{type.plural}</h1>
		<span class="grow"></span>
		<form
			class="flex gap-2"
			role="search"
			onsubmit={(e) => {
				e.preventDefault();
				const find = String(new FormData(e.currentTarget).get('find') ?? '');
				change({ ...asked, find: find.trim() });
			}}
		>
			<input
				class="box"
				name="find"
				defaultValue={data.asked.find}
				maxlength="100"
				placeholder="Find by name"
				aria-label="Find by name"
			/><button class="button">Find</button>
		</form>
		{#if w.canEdit}
			<a class="button" href="/records/{type.id}/import">Import</a>
			<a class="button" href="/records/{type.id}/new?form=short">New, short form</a>
			<a class="button main" href="/records/{type.id}/new">New {type.label.toLowerCase()}</a>
		{/if}
	</div>
	<div class="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
		<Views
			type={type.id}
			plural={type.plural}
			views={data.views}
			view={data.view}
			asked={askedSoFar(asked)}
			mayKeep={w.may('change') && !unfinished}
		/>
		<button
			class="textlink"
			aria-expanded={open === 'which'}
			onclick={() => {
				fresh = open !== 'which';
				open = open === 'which' ? null : 'which';
			}}>Which {type.plural.toLowerCase()}</button
		>
		<button
			class="textlink"
			aria-expanded={open === 'columns'}
			onclick={() => (open = open === 'columns' ? null : 'columns')}>Columns</button
		>
		{#if mayBulk}<button
				class="textlink"
				aria-expanded={open === 'bulk'}
				disabled={unfinished || data.fault !== null}
				onclick={() => (open = open === 'bulk' ? null : 'bulk')}
				>{ticked.size ? `Change the ${formatCount(ticked.size)} ticked` : 'Change them all'}</button
			><button
				class="textlink"
				aria-expanded={open === 'keys'}
				onclick={() => (open = open === 'keys' ? null : 'keys')}>Tick by keys</button
			>{#if ticked.size}<button class="textlink text-quiet" onclick={() => ticked.clear()}
					>Untick them</button
				>{/if}{/if}
		<span class="grow"></span>
		{#if w.may('operate')}<a class="textlink" href="/indexes?of={type.id}&{listQuery(data.asked)}"
				>Indexes</a
			>{/if}
		<a class="textlink" href={file} download>As CSV</a>
	</div>
	<div class="mt-1 flex items-baseline gap-4 text-sm">
		<span class="min-w-0 truncate" role="status" data-testid="list-count"
			>{#if unfinished}<span class="text-quiet"
					>The condition is not finished: the list is as before.</span
				>{:else if !data.fault}{#if counted === undefined}<span class="text-quiet">counting…</span
					>{:else}{counted
						? `${counted.more ? 'more than ' : ''}${formatCount(counted.n)} ${(counted.n === 1 && !counted.more ? type.label : type.plural).toLowerCase()}`
						: 'not counted: that would take long'}{/if}{data.asked.find
					? ` with “${data.asked.find}”`
					: ''}{#if said}<span class="text-quiet">{` where ${said}`}</span>{/if}{/if}</span
		>
		{#if data.slow?.indexes}<span class="text-ochre" data-testid="slow"
				>▲ It took {(data.slow.ms / 1000).toFixed(1)} s:
				<a class="textlink" href="/indexes?of={type.id}&{listQuery(data.asked)}"
					>an index would help</a
				></span
			>{/if}
		{#if said || data.asked.find}<button
				class="textlink"
				onclick={() =>
					change({
						...EVERYTHING,
						columns: asked.columns,
						sort: asked.sort
					})}>All of them</button
			>{/if}
	</div>
	{#if open === 'which'}
		<div class="mt-1">
			{#key `${type.id} ${data.view}`}<Which
					type={type.id}
					{asked}
					{today}
					begin={fresh && !asked.where}
					onchange={change}
				/>{/key}
		</div>
	{:else if open === 'keys'}
		<div class="mt-1">
			{#key type.id}<ByKeys
					type={type.id}
					onfound={(ids) => {
						for (const id of ids) ticked.add(id);
					}}
				/>{/key}
		</div>
	{:else if open === 'bulk'}
		<div class="mt-1">
			<Ask
				type={type.id}
				list={data.asked}
				ticked={[...ticked]}
				count={counted && !counted.more ? formatCount(counted.n) : null}
				tooMany={!!counted?.more && counted.n >= MOST_BULK}
			/>
		</div>
	{:else if open === 'columns'}
		<div class="mt-1">
			<Columns
				type={type.id}
				columns={asked.columns ?? data.columns}
				usual={asked.columns === null}
				onchange={(next) => change({ ...asked, columns: next })}
			/>
		</div>
	{/if}
	<div class="ticks mt-2"></div>
	{#if data.gone}<p class="py-1 text-sm text-ochre">
			▲ This view is not there any more: these are all {type.plural.toLowerCase()}.
		</p>{/if}
	{#if data.knownFrom}<p class="py-1 text-sm text-ochre">
			▲ History is kept from {formatMoment(data.knownFrom, w.model.zone)} on: what changed before that
			counts as unchanged.
		</p>{/if}
	{#if data.fault ?? trouble}<p class="py-2 text-brick" role="alert">
			● {data.fault ?? trouble}
		</p>{/if}
	{#if !data.fault}
		{#key type.id}
			<Grid
				label={type.plural}
				rows={data.records}
				columns={grid}
				key={(r) => r.id}
				remember="records {type.id}"
				filters={false}
				{sorted}
				onsort={(sort) => change({ ...asked, sort: sort && { column: sort.id, desc: sort.desc } })}
				moving={{
					can: (c) => c.id !== 'id' && c.id !== 'tick',
					move: (from, to) => {
						const all = [...(asked.columns ?? data.columns)];
						const [moved] = all.splice(from - lead, 1);
						change({ ...asked, columns: all.toSpliced(to - lead, 0, moved) });
					}
				}}
			>
				{#snippet cell(r, c)}
					{@const col = columns.find((x) => x.written === c.id)}
					{#if c.id === 'tick'}<input
							type="checkbox"
							class="tick"
							aria-label="Tick No. {r.id}"
							checked={ticked.has(r.id)}
							title="With Shift: all from the one ticked before"
							onclick={(e) => tick(r.id, e.shiftKey)}
						/>{:else if !col}{#if titled}<span class="mono text-quiet">{r.id}</span>{:else}<a
								class="textlink mono"
								href="/records/{type.id}/{r.id}">{r.id}</a
							>{/if}
					{:else}
						{@const text = textOf(col, r)}
						{@const linked = linkedFrom(col, r)}
						{@const ruled =
							col.c.k === 'field' && col.c.path.length === 1 && r.byRule.includes(col.c.path[0])}
						<span
							class="{isAmount(col.field, col.c) ? 'mono' : ''} {ruled ? 'text-brass-ink' : ''}"
							title={[text.length > MOST_SHOWN && text, ruled && 'written by a rule']
								.filter(Boolean)
								.join('\n') || undefined}
							>{#if isTitle(c.id)}<a class="textlink" href="/records/{type.id}/{r.id}"
									>{shortened(text, MOST_SHOWN) || `No. ${r.id}`}</a
								>{:else if linked}<a class="textlink" href={linked}>{shortened(text, MOST_SHOWN)}</a
								>{:else}{shortened(text, MOST_SHOWN)}{/if}</span
						>{#if isTitle(c.id)}{#if r.pending}<span
									class="ml-2 text-xs text-ochre"
									title="A change elsewhere runs on to this record and has not reached it yet"
									>▲ pending</span
								>{/if}{#if r.member}<span
									class="ml-2 text-xs whitespace-nowrap text-brass-ink"
									title="Release {w.pilot?.release} decides it, as a pilot">◇ pilot</span
								>{/if}{/if}
					{/if}
				{/snippet}
				{#snippet plainHead()}<input
						type="checkbox"
						class="tick"
						aria-label="Tick all on this page"
						title="Tick all on this page"
						disabled={!data.records.length}
						checked={tickedHere > 0 && tickedHere === data.records.length}
						indeterminate={tickedHere > 0 && tickedHere < data.records.length}
						onclick={() => {
							const on = tickedHere < data.records.length;
							for (const r of data.records)
								if (on) ticked.add(r.id);
								else ticked.delete(r.id);
						}}
					/>{/snippet}
				{#snippet empty()}{data.stoppedAfter !== null
						? `None among the first ${formatCount(data.stoppedAfter)} that were looked at.`
						: said
							? `No ${type.label.toLowerCase()} is so.`
							: data.asked.find
								? 'No record has this in its name.'
								: `No ${type.plural.toLowerCase()} yet. Make the first one, or import a file.`}{/snippet}
			</Grid>
		{/key}
		<div class="mt-2 flex items-center gap-4 text-sm">
			{#if data.before}<a class="textlink" href={address(data.asked, { before: data.before })}
					>Previous page</a
				>{/if}
			{#if place}<a class="textlink" href={address(data.asked)}>To the beginning</a>{/if}
			<span class="text-quiet"
				>{#if data.stoppedAfter !== null}{formatCount(data.stoppedAfter)} records were looked at so far;
				{/if}values in brass were written by a rule</span
			>
			{#if data.next}<a class="textlink" href={address(data.asked, { after: data.next })}
					>{data.stoppedAfter === null ? 'Next page' : 'Look further'}</a
				>{/if}
		</div>
	{/if}
</div>
