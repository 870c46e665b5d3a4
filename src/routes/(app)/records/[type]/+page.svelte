<script lang="ts">
	import { formatCount, formatValue } from '$lib/words/format';
	import { goto } from '$app/navigation';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, params } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(params.type).type);
	const columns = $derived(
		type.columns
			.map((id) => w.schema.field(type.id, id))
			.filter((f) => f !== undefined)
			.filter((f) => !f.retired)
	);
	const numeric = (t: string) => ['number', 'money', 'percent'].includes(t);
	const at = (page: number, sort = data.sort) =>
		`?${new URLSearchParams({
			...(data.find ? { find: data.find } : {}),
			...(sort ? { sort: sort.id, ...(sort.desc ? { desc: '1' } : {}) } : {}),
			...(page ? { page: String(page) } : {})
		})}`;
	type Line = (typeof data.records)[number];
	const textOf = (f: (typeof columns)[number], r: Line) =>
		formatValue(f, r.values[f.id], w.schema, data.links);
	const WIDTH: Record<string, number> = {
		link: 150,
		email: 180,
		date: 104,
		moment: 150,
		yesno: 96,
		number: 104,
		choice: 118
	};
	// the server sorts; what they hold is for copying
	const grid = $derived<GridColumn<Line>[]>([
		{ id: 'id', label: 'No.', value: (r) => Number(r.id), numeric: true, width: 70 },
		...columns.map((f) => ({
			id: f.id,
			label: f.label,
			value: (r: Line) => textOf(f, r) || null,
			numeric: numeric(f.type),
			width: f.id === type.title ? 210 : (WIDTH[f.type] ?? 120),
			grow: f.id === type.title
		}))
	]);
</script>

<svelte:head><title>{type.plural} · Rigid Rule</title></svelte:head>

<div class="flex h-full flex-col px-6 pt-3 pb-3">
	<div class="flex flex-wrap items-center gap-3">
		<h1 class="text-xl">{type.plural}</h1>
		<span class="grow text-quiet"
			>{formatCount(data.total)}{data.find ? ` with “${data.find}”` : ''}</span
		>
		<form class="flex gap-2" role="search">
			{#if data.sort}<input
					type="hidden"
					name="sort"
					value={data.sort.id}
				/>{#if data.sort.desc}<input type="hidden" name="desc" value="1" />{/if}{/if}
			<input
				class="box"
				name="find"
				defaultValue={data.find}
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
	<div class="ticks mt-3"></div>
	{#key type.id}
		<Grid
			label={type.plural}
			rows={data.records}
			columns={grid}
			key={(r) => r.id}
			remember="records {type.id}"
			filters={false}
			sorted={data.sort}
			onsort={(sort) => void goto(at(0, sort), { keepFocus: true })}
		>
			{#snippet cell(r, c)}
				{@const f = columns.find((x) => x.id === c.id)}
				{#if !f}<span class="mono text-quiet">{r.id}</span>
				{:else}
					{@const text = textOf(f, r)}
					<span
						class="{numeric(f.type) ? 'mono' : ''} {r.byRule.includes(f.id)
							? 'text-brass-ink'
							: ''}"
						title={r.byRule.includes(f.id) ? 'written by a rule' : undefined}
						>{#if f.id === type.title}<a class="textlink" href="/records/{type.id}/{r.id}"
								>{text || `No. ${r.id}`}</a
							>{#if r.pending}<span
									class="ml-2 text-xs text-ochre"
									title="A change elsewhere runs on to this record and has not reached it yet"
									>▲ pending</span
								>{/if}{:else}{text}{/if}</span
					>
				{/if}
			{/snippet}
			{#snippet empty()}{data.find
					? 'No record has this in its name.'
					: `No ${type.plural.toLowerCase()} yet. Make the first one, or import a file.`}{/snippet}
		</Grid>
	{/key}
	<div class="mt-2 flex items-center gap-4 text-sm">
		{#if data.page > 0}<a class="textlink" href={at(data.page - 1)}>Newer</a>{/if}
		<span class="text-quiet"
			>Page {data.page + 1} of {formatCount(data.pages)}; values in brass were written by a rule</span
		>
		{#if data.page + 1 < data.pages}<a class="textlink" href={at(data.page + 1)}>Older</a>{/if}
	</div>
</div>
