<script lang="ts">
	import { page } from '$app/state';
	import { goto } from '$app/navigation';
	import { flowOf, withFieldAt, withType, type ModelFault, type RecordType } from '$core';
	import { Reorder } from '$lib/grid/reorder.svelte';
	import Choose from '$lib/inputs/Choose.svelte';
	import FieldPane from '$lib/model/FieldPane.svelte';
	import NameBox from '$lib/model/NameBox.svelte';
	import NewField from '$lib/model/NewField.svelte';
	import TypePane from '$lib/model/TypePane.svelte';
	import { describeField, formatCount } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.types.get(page.params.type ?? '')?.type);
	const field = $derived(type?.fields.find((f) => f.id === page.params.field));
	let adding = $state(false);
	let held = $state.raw<{ records: number; held: Record<string, number> } | null>(null);
	$effect(() => {
		let stale = false;
		data.held?.then(
			(h) => {
				if (!stale) held = h;
			},
			() => {
				if (!stale) held = null;
			}
		);
		return () => {
			stale = true;
		};
	});
	// a chosen field is looked at, not the one that was to be added
	$effect(() => {
		if (page.params.field) adding = false;
	});

	/** By field how many rules write or judge it, and how many read it. */
	const rules = $derived.by(() => {
		const out = new Map<string, { writes: number; reads: number }>();
		const at = (id: string) => {
			const had = out.get(id);
			if (had) return had;
			const made = { writes: 0, reads: 0 };
			out.set(id, made);
			return made;
		};
		for (const f of flowOf(w.plan, w.draft)) {
			for (const r of f.writes) if (r.type === type?.id) at(r.field).writes++;
			for (const r of f.reads) if (r.type === type?.id) at(r.field).reads++;
		}
		return out;
	});
	let trouble = $state('');
	const order = new Reorder({
		items: () => type?.fields ?? [],
		label: () => `the fields of ${type?.label ?? ''}`,
		disabled: () => !w.canEdit,
		move: (from, to) => {
			const t = type!;
			void w
				.editModel('order of fields', withFieldAt(w.model, t.id, t.fields[from].id, to))
				.then(([first]) => (trouble = first?.message ?? ''));
		}
	});
	const put = (t: RecordType, change: Partial<RecordType>): Promise<readonly ModelFault[]> =>
		w.editModel('record type', withType(w.model, t.id, change));
	const headings = $derived([...new Set(type?.fields.map((f) => f.group))]);
	const titles = $derived(
		(type?.fields ?? [])
			.filter((f) => f.type === 'text' && !f.retired)
			.map((f) => ({ value: f.id, label: f.label }))
	);
</script>

<svelte:head><title>{type?.label ?? 'Model'} · Model · Rigid Rule</title></svelte:head>

<datalist id="headings"
	>{#each headings as h (h)}<option value={h}></option>{/each}</datalist
>

{#if !type}
	<div class="px-6 pt-3">
		<h1 class="text-xl">There is no record type “{page.params.type}”</h1>
		<p class="mt-2"><a class="textlink" href="/model">The record types that there are</a></p>
	</div>
{:else}
	<div class="split">
		<section class="min-h-0 min-w-0 overflow-auto px-6 pt-3 pb-6">
			<div class="flex items-center justify-between gap-3">
				<h1 class="text-xl">{type.label}</h1>
				{#if w.canEdit}<button
						class="button main"
						disabled={adding}
						onclick={() => {
							adding = true;
							if (field) void goto(`/model/${type.id}`, { keepFocus: true });
						}}>New field</button
					>{/if}
			</div>
			<div class="mt-1 flex flex-wrap items-baseline gap-x-2 gap-y-1">
				One is a
				<NameBox
					class="w-30"
					value={type.label}
					label="What one of them is called"
					disabled={!w.canEdit}
					onstore={(label) => put(type, { label })}
				/>, several are
				<NameBox
					class="w-30"
					value={type.plural}
					label="What several of them are called"
					disabled={!w.canEdit}
					onstore={(plural) => put(type, { plural })}
				/>, each is named by its
				<Choose
					label="The field that names a record"
					value={type.title}
					choices={titles}
					disabled={!w.canEdit}
					onpick={(title) =>
						void put(type, { title }).then(([first]) => (trouble = first?.message ?? ''))}
				/>
			</div>
			{#if trouble}<p class="mt-1 text-sm text-brick" role="alert">● {trouble}</p>{/if}
			<div class="ticks mt-3"></div>
			<table class="grid-table text-sm" aria-label="Fields of {type.label}">
				<thead>
					<tr>
						<th class="w-8"><span class="sr-only">Place</span></th><th>Heading</th><th>Field</th><th
							>What it is</th
						>
						<th class="num" title="Its place on the short form">Short</th>
						<th class="num" title="Its place among the columns of the list">List</th>
						<th class="num">Held</th>
						<th class="num" title="How many rules write or judge it">Written</th>
						<th class="num" title="How many rules read it">Read</th>
					</tr>
				</thead>
				<tbody use:order.zone={w.canEdit}>
					{#each order.shown as f, i (f.id)}
						{@const n = rules.get(f.id)}
						{@const short = type.short.indexOf(f.id) + 1}
						{@const column = type.columns.indexOf(f.id) + 1}
						<tr
							class:text-quiet={f.retired}
							class:chosen={f.id === field?.id}
							data-dragged={f.id}
							data-field={f.id}
						>
							<td class="mono text-right text-quiet"
								>{#if w.canEdit}<span
										class="inline-block min-h-6 min-w-6 cursor-grab text-right"
										{...order.handle(i, f.label)}>{i + 1}</span
									>{:else}{i + 1}{/if}</td
							>
							<td class="text-quiet">{order.shown[i - 1]?.group === f.group ? '' : f.group}</td>
							<td class="whitespace-nowrap"
								><a
									class="textlink {f.id === type.title ? 'font-semibold' : ''}"
									href="/model/{type.id}/{f.id}"
									aria-current={f.id === field?.id ? 'page' : undefined}>{f.label}</a
								></td
							>
							<td class="what" title={describeField(f, w.schema)}
								>{describeField(f, w.schema)}{f.key ? ' · key' : ''}{f.retired
									? ' · retired'
									: ''}</td
							>
							<td class="mono num">{short || ''}</td>
							<td class="mono num">{column || ''}</td>
							<td class="mono num">{held ? formatCount(held.held[f.id] ?? 0) : '…'}</td>
							<td class="mono num text-brass-ink">{n?.writes || ''}</td>
							<td class="mono num text-teal">{n?.reads || ''}</td>
						</tr>
					{/each}
				</tbody>
			</table>
			<p class="mt-2 text-sm text-quiet">
				{#if held}{formatCount(held.records)} {type.plural.toLowerCase()}.{/if} Short and List give the
				place of a field on the short form and in the list; Written and Read how many rules do.
			</p>
		</section>
		<section
			class:first={adding || field}
			class="pane min-h-0 overflow-auto border-l border-line bg-sheet px-5 pt-3 pb-6"
		>
			{#if adding}
				<NewField
					{type}
					heading={field?.group ?? headings.at(-1) ?? 'Identity'}
					onclose={() => (adding = false)}
				/>
			{:else if field}
				<p class="text-sm">
					<a class="textlink" href="/model/{type.id}">Forms of {type.label}</a>
				</p>
				{#key `${type.id}.${field.id}`}
					<FieldPane
						{type}
						{field}
						held={held && { records: held.records, held: held.held[field.id] ?? 0 }}
					/>
				{/key}
			{:else if page.params.field}
				<p>
					There is no field “{page.params.field}” on {type.label}.
					<a class="textlink" href="/model/{type.id}">Its fields</a>
				</p>
			{:else}
				{#key type.id}<TypePane {type} records={held?.records ?? null} />{/key}
			{/if}
		</section>
	</div>
{/if}

<style>
	.split {
		display: grid;
		grid-template-columns: minmax(0, 1fr) 360px;
		height: 100%;
	}
	tbody td {
		padding-block: 1px;
		vertical-align: middle;
	}
	.num {
		padding-inline: 6px;
		text-align: right;
		white-space: nowrap;
	}
	.what {
		max-width: 150px;
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
	}
	.chosen {
		background: var(--color-band-1);
	}
	@media (max-width: 1100px) {
		.split {
			display: flex;
			flex-direction: column;
			height: auto;
		}
		.pane {
			border-left: 0;
			border-top: 1px solid var(--color-line);
		}
		/* what was chosen stands where it is seen */
		.pane.first {
			order: -1;
			border-bottom: 1px solid var(--color-line);
		}
	}
</style>
