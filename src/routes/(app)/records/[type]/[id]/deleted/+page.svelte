<script lang="ts">
	/** A record that was deleted: by whom, what it held, what happened to it; it can be put back. */
	import { goto } from '$app/navigation';
	import { untrack } from 'svelte';
	import { ENTRY_LABEL } from '$core';
	import HistoryTable from '$lib/record/HistoryTable.svelte';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { wordsThen } from '../../../../../../runtime/past';
	import { ask, Refused } from '$lib/work/http';
	import { tell } from '$lib/shell/notices';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import type { MadeAgain } from '$server/bulk/made-again';

	let { data, params } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(params.type).type);
	untrack(() => w.titles.learn(data.links));
	$effect.pre(() => w.titles.learn(data.links));
	const { label, say } = $derived(wordsThen(w.schema, params.type, data.past, w.titles.all));
	/** In the order of the form; what is of no field any more last. */
	const held = $derived.by(() => {
		const order = type.fields.map((f) => f.id);
		const place = (id: string) => (order.includes(id) ? order.indexOf(id) : order.length);
		return Object.entries(data.was)
			.filter(([, v]) => v !== null)
			.sort(([a], [b]) => place(a) - place(b));
	});
	const records = (n: number) => `${formatCount(n)} ${n === 1 ? 'record points' : 'records point'}`;
	let busy = $state(false);
	let refused = $state('');
	async function putBack() {
		busy = true;
		refused = '';
		try {
			const { linked, left, blank } = await ask<MadeAgain>(
				`/save/${params.type}/${data.id}/again`,
				{ method: 'POST', body: {} }
			);
			tell(
				[
					`${data.title} is there again.`,
					linked ? `${records(linked)} to it again.` : '',
					left ? `${records(left)} elsewhere now, or to nothing.` : '',
					...blank
				]
					.filter(Boolean)
					.join(' ')
			);
			await goto(`/records/${params.type}/${data.id}`, { invalidateAll: true });
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			refused = e.message;
		} finally {
			busy = false;
		}
	}
</script>

<svelte:head><title>{data.title}, deleted · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-4">
	<div class="mb-2 flex flex-wrap items-baseline gap-3">
		<h1 class="truncate text-xl">{data.title}</h1>
		<span class="text-sm text-quiet"
			>{type.label} <span class="mono">{data.id}</span> · deleted {formatMoment(
				data.at,
				w.model.zone
			)}{data.who ? ` by ${data.who}` : ''}, by the {ENTRY_LABEL[data.entryPoint]}</span
		>
		<span class="grow"></span>
		{#if w.may('remove')}<button class="button main" disabled={busy} onclick={putBack}
				>Put it back</button
			>{/if}
	</div>
	{#if refused}<p class="mb-2 bg-brick-wash px-4 py-2 text-brick" role="alert">● {refused}</p>{/if}
	<p class="max-w-3xl text-sm text-quiet">
		It is not there any more. Put back, it holds what it held, set by whom it was set; rules that
		fill do not run, and no messages leave. Records that pointed to it, and to nothing since, point
		to it again.
	</p>
	<section class="mt-3" aria-label="What it held">
		<h2>What it held</h2>
		<div class="ticks mt-1"></div>
		<table class="grid-table text-sm">
			<thead><tr><th>Field</th><th>Value</th></tr></thead>
			<tbody>
				{#each held as [field, v] (field)}
					<tr><td>{label(field, data.at)}</td><td class="mono">{say(field, v, data.at)}</td></tr>
				{:else}<tr><td colspan="2" class="text-quiet">Nothing.</td></tr>{/each}
			</tbody>
		</table>
	</section>
	<section class="mt-5" id="history" aria-label="History">
		<h2>History</h2>
		<div class="ticks mt-1"></div>
		<HistoryTable
			type={params.type}
			id={data.id}
			history={data.history}
			part={data.part}
			along={(change) => data.along[change] ?? []}
			{say}
			{label}
		/>
	</section>
</div>
