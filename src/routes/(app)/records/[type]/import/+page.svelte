<script lang="ts">
	import { enhance } from '$app/forms';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { params, data, form } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(params.type).type);
	const EXAMPLE = 'Trading name,Country,Headcount\nSaltmarsh Peppers,Netherlands,51';
	let busy = $state(false);
</script>

<svelte:head><title>Import {type.plural.toLowerCase()} · Rigid Rule</title></svelte:head>

<div class="max-w-5xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Import {type.plural.toLowerCase()}</h1>
	<p class="text-quiet">
		A CSV file whose first line names the fields, in UTF-8, UTF-16 or Windows-1252. Nothing is
		stored yet: next you see what each column is taken for, and may try it. Several options of one
		cell are parted by commas, semicolons or lines.
	</p>
	<form
		method="POST"
		enctype="multipart/form-data"
		class="mt-3 border border-line bg-sheet p-5"
		use:enhance={() => {
			busy = true;
			return async ({ update }) => {
				await update({ reset: false });
				busy = false;
			};
		}}
	>
		<label class="block text-sm font-medium" for="file">File</label>
		<input
			id="file"
			name="file"
			type="file"
			accept=".csv,text/csv,text/plain"
			class="box mt-1 block"
		/>
		<label class="mt-3 block text-sm font-medium" for="text">or paste it here</label>
		<textarea
			id="text"
			name="text"
			rows="6"
			class="box mono mt-1 w-full"
			placeholder={EXAMPLE}
			value={form?.text ?? ''}></textarea>
		<button class="button main mt-3" disabled={busy}>{busy ? 'Reading …' : 'Look at it'}</button>
		{#if form?.message}<p class="mt-2 text-brick" role="alert">● {form.message}</p>{/if}
	</form>

	{#if data.earlier.length}
		<h2 class="mt-6">Files taken in</h2>
		<div class="ticks mt-1"></div>
		<table class="grid-table text-sm" aria-label="Files taken in">
			<thead
				><tr
					><th>File</th><th class="text-right">Rows</th><th>Taken in</th><th>By</th><th
						>What became of it</th
					></tr
				></thead
			>
			<tbody>
				{#each data.earlier as f (f.id)}
					<tr>
						<td><a class="textlink" href="/imports/{f.id}">{f.name}</a></td>
						<td class="mono text-right">{formatCount(f.rows)}</td>
						<td class="mono whitespace-nowrap">{formatMoment(f.at, w.model.zone)}</td>
						<td>{f.by ?? ''}</td>
						<td>{f.job ? 'imported' : f.dryRun ? 'tried' : 'not begun'}</td>
					</tr>
				{/each}
			</tbody>
		</table>
		{#if data.more}<p class="mt-1 text-sm text-quiet">
				These are the newest. Older ones that were imported are among the <a
					class="textlink"
					href="/jobs?kind=import">jobs</a
				>.
			</p>{/if}
	{/if}
</div>
