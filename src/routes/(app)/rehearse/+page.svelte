<script lang="ts">
	import { onMount } from 'svelte';
	import { invalidate } from '$app/navigation';
	import type { JsonValue } from '$core';
	import { formatCount, formatMoment, formatValue } from '$lib/words/format';
	import { Refused, ask } from '$lib/work/http';
	import JobState from '$lib/shell/JobState.svelte';
	import type { Job } from '$server/db/jobs';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import type { RehearsedField } from '$server/look/rehearse';

	const w = useWorkbench();
	let { data } = $props();
	/** The job that was begun here, until it has ended. */
	let begun = $state.raw<Job | null>(null);
	const job = $derived(begun ?? data.open);
	const running = $derived(job !== null && !job.ended);
	let trouble = $state<string | null>(null);
	let picked = $state<string | null>(null);
	const result = $derived(w.rehearsal?.result ?? null);
	const stale = $derived(w.rehearsal !== null && w.rehearsal.hash !== w.loadedHash);
	const shown = $derived(
		result?.fields.find((f) => `${f.type}.${f.field}` === picked) ?? result?.fields[0] ?? null
	);
	const look = async () => {
		if (!job) return;
		begun = await ask<Job>(`/jobs/${job.id}`);
		if (!begun.ended) return;
		if (begun.state === 'failed') trouble = begun.message;
		begun = null;
		await Promise.all([w.reload(), invalidate('app:rehearsal')]);
	};
	/** While the server is away it is asked again. */
	const looking = () =>
		look().catch((e: unknown) => {
			if (!(e instanceof Refused)) throw e;
		});
	onMount(() => {
		const timer = setInterval(() => {
			if (running && !document.hidden) void looking();
		}, 500);
		return () => clearInterval(timer);
	});
	async function run() {
		trouble = null;
		try {
			await w.flush();
			const { job: id } = await ask<{ job: string }>('/rehearsal', { method: 'POST' });
			begun = await ask<Job>(`/jobs/${id}`);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
	}
	const field = (f: RehearsedField) => w.schema.field(f.type, f.field);
	const say = (f: RehearsedField, v: JsonValue) =>
		field(f) ? formatValue(field(f)!, v, w.schema) || 'blank' : String(v);
	const most = (f: RehearsedField) => Math.max(...f.moves.map((m) => m.count));
	const otherMoves = (f: RehearsedField) => f.count - f.moves.reduce((n, m) => n + m.count, 0);
	type Other = RehearsedField['records'][number];
	const records = $derived<GridColumn<Other>[]>(
		shown
			? [
					{
						id: 'record',
						label: w.schema.types.get(shown.type)?.type.label ?? 'Record',
						value: (r) => r.title,
						width: 260,
						grow: true
					},
					...(
						[
							['stored', 'Stored now'],
							['from', 'In force gives'],
							['to', 'Draft gives']
						] as const
					).map(([id, label]) => ({
						id,
						label,
						value: (r: Other) => (typeof r[id] === 'number' ? r[id] : say(shown!, r[id])),
						text: (r: Other) => say(shown!, r[id]),
						pick: typeof shown!.records[0]?.[id] !== 'number' && shown!.moves.length <= 30,
						numeric: typeof shown!.records[0]?.[id] === 'number',
						width: 140
					}))
				]
			: []
	);
</script>

<svelte:head><title>Rehearse · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<div class="flex items-baseline gap-4">
		<h1 class="text-xl">Rehearse</h1>
		<p class="grow text-quiet" role="status">
			{#if running}Settling every record by the draft and by what is in force …
			{:else if result}{formatCount(result.records)} of {formatCount(result.looked)} records would come
				out differently under the draft than under release {w.force.number}. {stale
					? 'This is older than the draft.'
					: ''} Run {formatMoment(w.rehearsal!.at, w.model.zone)}.
			{:else}Shows what the draft would change in the records that exist. Nothing is written.{/if}
		</p>
		{#if w.canEdit}<button
				class="button {stale || !result ? 'main' : ''}"
				disabled={running}
				onclick={run}>{result ? 'Run again' : 'Run'}</button
			>{/if}
	</div>
	{#if job && running}<div class="ticks run mt-3"></div>
		<JobState {job} onchange={looking} />{/if}
	{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}

	{#if result && !result.fields.length}
		<p class="mt-4 border border-line bg-sheet p-6">
			On no record that exists does the draft give another value. New inputs may still differ: see
			the trials.
		</p>
	{:else if result && shown}
		<div class="mt-3 grid gap-6" style="grid-template-columns: 260px minmax(0, 1fr)">
			<div>
				<h2 class="text-sm">Fields</h2>
				{#each result.fields as f (f.type + f.field)}
					<button
						class="flex min-h-8 w-full items-center justify-between border-b border-hairline px-2 text-left {f ===
						shown
							? 'bg-sheet font-semibold'
							: ''}"
						aria-pressed={f === shown}
						onclick={() => (picked = `${f.type}.${f.field}`)}
					>
						<span>{w.schema.types.get(f.type)?.type.label}: {field(f)?.label}</span><span
							class="mono">{formatCount(f.count)}</span
						>
					</button>
				{/each}
			</div>
			<div class="min-w-0">
				<h2 class="text-sm">{field(shown)?.label}: from what is in force to the draft</h2>
				<table class="mt-1">
					<tbody>
						{#each shown.moves as m, i (i)}
							<tr>
								<td class="py-1 pr-2 text-right"><s class="text-quiet">{say(shown, m.from)}</s></td>
								<td class="pr-2">→</td>
								<td class="pr-4 font-semibold text-brass-ink">{say(shown, m.to)}</td>
								<td
									><svg width="320" height="14" role="img" aria-label="{m.count} records"
										><rect
											width={Math.max(2, (m.count / most(shown)) * 260)}
											height="14"
											fill="var(--color-band-3)"
										/><text
											x={Math.max(2, (m.count / most(shown)) * 260) + 6}
											y="11"
											font-size="11"
											fill="var(--color-ink)">{formatCount(m.count)}</text
										></svg
									></td
								>
							</tr>
						{/each}
					</tbody>
				</table>
				{#if otherMoves(shown)}<p class="mt-1 text-sm text-quiet">
						and {formatCount(otherMoves(shown))} records that move otherwise.
					</p>{/if}
				<div class="ticks mt-4"></div>
				<Grid
					label="Records that would come out differently"
					rows={shown.records}
					columns={records}
					key={(r) => r.id}
					remember="rehearsed"
				>
					{#snippet cell(r, c)}
						{#if c.id === 'record'}<a
								class="textlink"
								href="/write/{shown!.type}/{shown!.field}?sample={r.id}">{r.title}</a
							>{:else if c.id === 'stored'}<span class="mono text-quiet"
								>{say(shown!, r.stored)}</span
							>{:else if c.id === 'from'}<span class="mono">{say(shown!, r.from)}</span>{:else}<span
								class="mono font-semibold text-brass-ink">{say(shown!, r.to)}</span
							>{/if}
					{/snippet}
				</Grid>
				{#if shown.count > shown.records.length}<p class="mt-1 text-sm text-quiet">
						The first {shown.records.length} of {formatCount(shown.count)}.
					</p>{/if}
			</div>
		</div>
	{/if}
</div>

<style>
	.run {
		background-size: 200% 100%;
		animation: slide 1.2s linear infinite;
	}
	@keyframes slide {
		to {
			background-position: -16px 0;
		}
	}
</style>
