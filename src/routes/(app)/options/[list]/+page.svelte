<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import {
		withList,
		withNewOptions,
		withOption,
		withOptionAt,
		withoutList,
		withoutOption,
		type Model
	} from '$core';
	import { Reorder } from '$lib/grid/reorder.svelte';
	import NameBox from '$lib/model/NameBox.svelte';
	import Speakers from '$lib/model/Speakers.svelte';
	import { tell } from '$lib/shell/notices';
	import { formatCount } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const list = $derived(w.schema.lists.get(page.params.list ?? ''));
	const off = $derived(!w.canEdit);
	let counts = $state.raw<Awaited<NonNullable<typeof data.counts>> | null>(null);
	$effect(() => {
		let stale = false;
		data.counts?.then(
			(c) => {
				if (!stale) counts = c;
			},
			() => {
				if (!stale) counts = null;
			}
		);
		return () => {
			stale = true;
		};
	});
	const held = (option: string) =>
		(counts ?? []).filter((c) => c.option === option).reduce((n, c) => n + c.records, 0);
	const users = $derived(
		w.model.types.flatMap((t) =>
			t.fields.filter((f) => f.list === list?.id).map((f) => ({ type: t, field: f }))
		)
	);
	/** The option whose uses are looked at. */
	let looked = $state<string | null>(null);
	let fault = $state('');
	let typed = $state('');

	async function put(label: string, next: Model): Promise<boolean> {
		const [first] = await w.editModel(label, next);
		fault = first?.message ?? '';
		return !first;
	}
	const order = new Reorder({
		items: () => list?.options ?? [],
		label: () => `the options of ${list?.label ?? ''}`,
		disabled: () => off,
		move: (from, to) => {
			const l = list!;
			void put('order of options', withOptionAt(w.model, l.id, l.options[from].id, to)).then(
				(stored) => stored && tell(`The order of ${l.label} is stored.`)
			);
		}
	});
	async function add(e: SubmitEvent) {
		e.preventDefault();
		const labels = typed
			.split('\n')
			.map((x) => x.trim())
			.filter(Boolean);
		if (!list || !labels.length) return;
		const next = withNewOptions(w.model, list.id, labels);
		const had = list.options.length;
		if (!(await put('new options', next))) return;
		const more = next.lists.find((l) => l.id === list.id)!.options.length - had;
		tell(more === 1 ? 'One option more.' : `${more} options more.`);
		typed = '';
	}
	async function remove(option: string) {
		// closed at once: until it is stored the option may be back by Undo and be looked at again
		looked = null;
		if (!(await put('option removed', withoutOption(w.model, list!.id, option)))) looked ??= option;
	}
	async function removeList() {
		const { label } = list!;
		if (!(await put('option list removed', withoutList(w.model, list!.id)))) return;
		tell(`The list ${label} is removed.`);
		await goto('/model');
	}
</script>

<svelte:head><title>{list?.label ?? 'Options'} · Model · Rigid Rule</title></svelte:head>

<div class="max-w-4xl px-6 pt-3 pb-10">
	{#if !list}
		<h1 class="text-xl">There is no option list “{page.params.list}”</h1>
		<p class="mt-2"><a class="textlink" href="/model">The model</a></p>
	{:else}
		<h1 class="text-xl">{list.label}</h1>
		<div class="mt-1 flex flex-wrap items-baseline gap-x-2 gap-y-1">
			The list is called
			<NameBox
				class="w-48"
				value={list.label}
				label="Name of the list"
				disabled={off}
				onstore={(label) => w.editModel('option list', withList(w.model, list.id, label))}
			/>
			{#if users.length}and is taken by
				{#each users as u, i (`${u.type.id}.${u.field.id}`)}<span
						><a class="textlink" href="/model/{u.type.id}/{u.field.id}"
							>{u.field.label} of {u.type.label}</a
						>{i < users.length - 1 ? ',' : ''}</span
					>{/each}{:else}and no field takes it yet.{/if}
		</div>
		{#if fault}<p class="mt-2 text-sm text-brick" role="alert">● {fault}</p>{/if}
		<div class="ticks mt-3"></div>
		<table class="grid-table text-sm" aria-label="Options of {list.label}">
			<thead
				><tr
					><th class="w-8 text-right">Place</th><th>Option</th><th>Code</th><th class="text-right"
						>Records</th
					><th>Identity</th><th><span class="sr-only">What can be done</span></th></tr
				></thead
			>
			<tbody use:order.zone={w.canEdit}>
				{#each order.shown as o, i (o.id)}
					<tr class:text-quiet={o.retired} data-dragged={o.id}>
						<td class="mono text-right"
							>{#if w.canEdit}<span
									class="inline-block min-h-6 min-w-6 cursor-grab text-right"
									{...order.handle(i, o.label)}>{i + 1}</span
								>{:else}{i + 1}{/if}</td
						>
						<td
							><NameBox
								class="w-52"
								value={o.label}
								label="Name of {o.label}"
								disabled={off}
								onstore={(label) =>
									w.editModel('option', withOption(w.model, list.id, o.id, { label }))}
							/></td
						>
						<td
							><NameBox
								class="w-20"
								value={o.code ?? ''}
								label="Code of {o.label}"
								placeholder="none"
								max={20}
								disabled={off}
								onstore={(code) =>
									w.editModel(
										'code',
										withOption(w.model, list.id, o.id, { code: code || undefined })
									)}
							/></td
						>
						<td class="mono text-right">{counts ? formatCount(held(o.id)) : '…'}</td>
						<td class="mono text-quiet">{o.id}</td>
						<td class="whitespace-nowrap">
							<button
								class="textlink"
								aria-expanded={looked === o.id}
								onclick={() => (looked = looked === o.id ? null : o.id)}
								>{o.retired ? 'retired' : 'Uses'}</button
							>
							{#if w.canEdit}<button
									class="textlink ml-2"
									title={o.retired
										? 'It can be chosen again'
										: 'It stays where it is set and cannot be chosen anew'}
									onclick={() =>
										void put(
											o.retired ? 'taken back' : 'retired',
											withOption(w.model, list.id, o.id, { retired: !o.retired })
										).then((stored) => {
											if (stored && !o.retired) looked ??= o.id;
										})}>{o.retired ? 'Take back' : 'Retire'}</button
								>{/if}
						</td>
					</tr>
				{:else}<tr><td colspan="6" class="text-quiet">No options yet.</td></tr>{/each}
			</tbody>
		</table>
		{#if looked}
			{@const o = list.options.find((x) => x.id === looked)}
			{#if o}
				<section class="mt-3 border border-line bg-panel p-3" aria-label="Uses of {o.label}">
					<h2 class="text-base">
						“{o.label}”{o.retired ? ' is retired: it stays where it is set' : ''}
					</h2>
					{#each (counts ?? []).filter((c) => c.option === o.id) as c (`${c.type} ${c.field}`)}
						<p class="text-sm">
							{formatCount(c.records)}
							{(c.records === 1
								? w.schema.type(c.type).type.label
								: w.schema.type(c.type).type.plural
							).toLowerCase()}
							{c.records === 1 ? 'has' : 'have'} it as {w.schema.field(c.type, c.field)?.label}.
						</p>
					{/each}
					<Speakers
						part={{ is: 'option', list: list.id, option: o.id }}
						none="No rule, definition, table or trial speaks of it."
					/>
					{#if w.canEdit}<div class="mt-2 flex gap-3">
							<button
								class="button"
								disabled={!counts || held(o.id) > 0}
								title={held(o.id) ? 'Records hold it: retire it instead' : undefined}
								onclick={() => void remove(o.id)}>Remove “{o.label}”</button
							>
							<button class="textlink" onclick={() => (looked = null)}>Close</button>
						</div>{/if}
				</section>
			{/if}
		{/if}
		{#if w.canEdit}
			<form class="mt-4" onsubmit={(e) => void add(e)}>
				<label class="text-sm"
					>New options, one a line<br /><textarea
						class="box w-80"
						rows={Math.min(8, Math.max(2, typed.split('\n').length))}
						bind:value={typed}></textarea></label
				>
				<div><button class="button main" disabled={!typed.trim()}>Add</button></div>
			</form>
			{#if !users.length}
				<p class="mt-4 border-t border-hairline pt-3 text-sm">
					<button class="textlink" onclick={() => void removeList()}>Remove the list</button>
				</p>
			{/if}
		{/if}
	{/if}
</div>
