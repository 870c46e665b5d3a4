<script lang="ts">
	/** Indexes that make lists fast: those there are, and those that the views would use. */
	import { invalidate } from '$app/navigation';
	import type { Stamp } from '$door/lists';
	import { loadAgain } from '$lib/outside/again';
	import JobState from '$lib/shell/JobState.svelte';
	import { Refused, ask } from '$lib/work/http';
	import { formatCount } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import { STAMP_LABEL } from '../../../runtime/lists';

	let { data } = $props();
	const w = useWorkbench();
	type Line = (typeof data.lines)[number];
	const keyOf = (l: Line) => `${l.type} ${l.field} ${l.use}`;
	const fieldOf = (l: Line) =>
		l.use === 'stamp'
			? STAMP_LABEL[l.field as Stamp]
			: (w.schema.field(l.type, l.field)?.label ?? l.field);
	const typeOf = (type: string) => w.schema.types.get(type)?.type.plural ?? type;
	function sayUse(l: Line): string {
		const field = fieldOf(l);
		switch (l.use) {
			case 'value':
			case 'stamp':
				return `${field}: filtered or ordered by`;
			case 'order':
				return `${field}: ordered by`;
			case 'words':
				return `${field}: a part of it`;
			case 'setter':
				return `${field}: who set it`;
		}
	}
	const mayOperate = $derived(w.may('operate'));
	const open = $derived(data.lines.filter((l) => l.state === 'proposed' || l.state === 'failed'));
	const worth = $derived(
		open.filter((l) => l.state === 'proposed' && (l.records ?? 0) >= data.worth)
	);
	let busy = $state(false);
	let trouble = $state('');
	const megabytes = (bytes: number) => `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;
	async function set(lines: readonly Line[], wanted: boolean) {
		busy = true;
		try {
			const indexes = lines.map(({ type, field, use }) => ({ type, field, use }));
			trouble = '';
			await ask('/list-indexes', { method: 'POST', body: { indexes, wanted } });
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
		await invalidate('app:indexes');
		busy = false;
	}
	loadAgain(
		'app:indexes',
		() => data.job !== null || data.lines.some((l) => l.state === 'waiting')
	);
</script>

<svelte:head><title>Indexes of lists · Rigid Rule</title></svelte:head>

<div class="max-w-6xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Indexes of lists</h1>
	<p class="max-w-3xl text-quiet">
		With an index PostgreSQL finds what a list asks for without reading every record. It costs a
		little at each change of a record, and room on the disk. Proposed is what the views ask for; it
		is worth its while from some {formatCount(data.worth)} records on.
	</p>
	{#if data.job}<div class="mt-3">
			<JobState job={data.job} onchange={() => invalidate('app:indexes')} />
		</div>{/if}
	<div class="ticks mt-3"></div>
	<table class="grid-table text-sm" aria-label="Indexes of lists">
		<thead
			><tr
				><th>Of</th><th>Index</th><th>Asked for by</th><th class="num">Records</th><th>State</th><th
					class="num">Size</th
				><th class="num">Read</th><th><span class="sr-only">Do</span></th></tr
			></thead
		>
		<tbody>
			{#each data.lines as l (keyOf(l))}
				<tr>
					<td>{typeOf(l.type)}</td>
					<td>{sayUse(l)}</td>
					<td
						>{#each l.views as v, i (v.id)}{i ? ', ' : ''}<a
								class="textlink"
								href="/records/{l.type}?view={v.id}">{v.name}</a
							>{:else}<span class="text-quiet">no view</span>{/each}</td
					>
					<td class="mono num">{l.records === null ? '' : formatCount(Math.round(l.records))}</td>
					<td
						>{#if l.state === 'made'}<span class="text-teal">✓ made</span
							>{:else if l.state === 'waiting'}<span class="text-ochre">… being made</span
							>{:else if l.state === 'failed'}<span class="text-brick">● {l.trouble}</span
							>{:else if l.records !== null && l.records < data.worth}<span class="text-quiet"
								>proposed; too few records to matter</span
							>{:else}proposed{/if}</td
					>
					<td class="mono num">{l.bytes === null ? '' : megabytes(l.bytes)}</td>
					<td class="mono num">{l.reads === null ? '' : formatCount(l.reads)}</td>
					<td class="whitespace-nowrap"
						>{#if mayOperate}{#if l.state === 'proposed' || l.state === 'failed'}<button
									class="textlink"
									disabled={busy}
									aria-label="Make the index {sayUse(l)} of {typeOf(l.type)}"
									onclick={() => void set([l], true)}
									>{l.state === 'failed' ? 'Try again' : 'Make it'}</button
								>{/if}{#if l.state !== 'proposed'}
								<button
									class="textlink"
									disabled={busy}
									aria-label="Drop the index {sayUse(l)} of {typeOf(l.type)}"
									onclick={() => void set([l], false)}
									>{l.state === 'made' ? 'Drop it' : 'Leave it'}</button
								>{/if}{/if}</td
					>
				</tr>
			{:else}
				<tr
					><td colspan="8" class="text-quiet"
						>No view asks for one. Keep a list as a view, and what would make it fast stands here.</td
					></tr
				>
			{/each}
		</tbody>
	</table>
	{#if trouble}<p class="mt-2 text-brick" role="alert">● {trouble}</p>{/if}
	{#if mayOperate && worth.length > 1}
		<p class="mt-3">
			<button class="button" disabled={busy} onclick={() => void set(worth, true)}
				>Make all {worth.length} that matter</button
			>
		</p>
	{:else if !mayOperate}
		<p class="mt-3 text-sm text-quiet">Operators and administrators make and drop them.</p>
	{/if}
	{#if data.beyond.length}
		<p class="mt-4 max-w-3xl text-sm text-quiet">
			Ordered by what stands behind several links, or by a count, which no index can hold:
			{#each data.beyond as v, i (v.id)}{i ? ', ' : ''}<a
					class="textlink"
					href="/records/{v.type}?view={v.id}">{v.name}</a
				>{/each}. On many records these take as long as reading all of them.
		</p>
	{/if}
</div>
