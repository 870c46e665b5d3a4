<script lang="ts">
	/** What one version would change against another, in the records that exist or in what was done: surprises first. */
	import { onMount } from 'svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import type { Surprise } from '$core';
	import type { Asked } from '$server/db/rehearsals';
	import type { Job } from '$server/db/jobs';
	import Asking from '$lib/rehearse/Asking.svelte';
	import Contents from '$lib/rehearse/Contents.svelte';
	import Limits from '$lib/rehearse/Limits.svelte';
	import { faultOf, periodOf } from '$lib/rehearse/period';
	import Told from '$lib/rehearse/Told.svelte';
	import Changed from '$lib/release/Changed.svelte';
	import { behindSurprise, sayAsked } from '$lib/rehearse/words';
	import JobState from '$lib/shell/JobState.svelte';
	import {
		andList,
		capital,
		dayIn,
		formatCount,
		formatDate,
		formatMoment,
		sayVersion,
		sayVersionOf
	} from '$lib/words/format';
	import { Refused, ask } from '$lib/work/http';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	const w = useWorkbench();
	let { data } = $props();
	/** The job that was begun here, until it has ended. */
	let begun = $state.raw<Job | null>(null);
	const job = $derived(begun ?? data.open);
	const running = $derived(job !== null && !job.ended);
	let trouble = $state<string | null>(null);

	const shown = $derived(data.shown);
	const result = $derived(shown?.result ?? null);
	/** What is asked next: as what is shown was, until something else is chosen, here or by the address. */
	const named = (side: string) => {
		const v = page.url.searchParams.get(side);
		return v === 'draft' ? null : v !== null && /^\d{1,9}$/.test(v) ? Number(v) : undefined;
	};
	const [before, after] = [named('before'), named('after')];
	const none = { selection: null, period: null };
	const newest = $derived(data.newest && dayIn(data.newest, w.model.zone));
	/** Who comes to replay finds it asked, also where nothing was replayed yet. */
	const toReplay = () =>
		page.url.searchParams.get('on') === 'changes' && !data.shown?.period && newest;
	const begin = (): Asked | null => {
		if (after !== undefined) return { before: before ?? w.force.number, after, ...none };
		const last = toReplay();
		return last
			? { before: w.force.number, after: null, selection: null, period: periodOf(last, 30) }
			: null;
	};
	let chosen = $state.raw<Asked | null>(begin());
	const asked = $derived<Asked>(
		chosen ?? {
			before: w.force.number,
			after: null,
			...none,
			// an edit of rows is looked at on the page of its table, a file where it is compared
			...(shown &&
				!shown.rows &&
				!shown.file && {
					after: shown.after,
					before: shown.before,
					selection: shown.selection,
					period: shown.period
				})
		}
	);
	const stale = $derived(
		shown !== null && [shown.before, shown.after].includes(null) && shown.draftHash !== w.loadedHash
	);
	const superseded = $derived(
		shown !== null && !shown.file && shown.after === null && shown.before !== w.force.number
	);
	/** Whether what is asked next is what is shown, and still so. */
	const same = $derived(
		shown !== null &&
			!stale &&
			!shown.rows &&
			!shown.file &&
			JSON.stringify([asked.before, asked.after, asked.selection, asked.period]) ===
				JSON.stringify([shown.before, shown.after, shown.selection, shown.period])
	);

	const see = $derived(page.url.searchParams.get('see'));
	function go(next: Record<string, string | null>) {
		const q = new URLSearchParams(page.url.searchParams);
		for (const [k, v] of Object.entries(next))
			if (v === null) q.delete(k);
			else q.set(k, v);
		return goto(`/rehearse?${q.toString()}`, { keepFocus: true, noScroll: true });
	}
	const surprise = $derived(result?.surprises.find((s) => s.key === see) ?? null);
	const rule = $derived(see?.startsWith('rule ') ? see.slice(5) : null);
	/** What the right side tells of: a field, a refusal or messages; of a rule the first field that it gives. */
	const about = $derived.by(() => {
		if (!result) return null;
		if (surprise) return behindSurprise(surprise).about;
		if (rule !== null) {
			const f = result.fields.find((x) =>
				x.by.some((b) => b.claim !== null && result.rules[b.claim]?.id === rule)
			);
			if (f) return `value ${f.type}.${f.field}`;
		}
		if (see?.startsWith('value ')) return see;
		const first = result.fields[0];
		return first ? `value ${first.type}.${first.field}` : null;
	});
	let asking = false;
	const look = async () => {
		if (!job || asking) return;
		asking = true;
		const { id } = job;
		try {
			begun = await ask<Job>(`/jobs/${id}`);
			if (!begun.ended) return;
			if (begun.state === 'failed') trouble = begun.message;
			// what is shown comes with the pages' data, all at once: of two loads one would be lost
			await w.reload();
			if (begun.state === 'done') {
				chosen = null;
				await go({ id, before: null, after: null, on: null, see: null });
			}
			begun = null;
		} finally {
			asking = false;
		}
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
		trouble = asked.period && faultOf(asked.period);
		if (trouble) return;
		try {
			await w.flush();
			const name = (n: number | null) => n ?? 'draft';
			const { selection, period } = asked;
			const all = !selection || ('text' in selection.condition && !selection.condition.text.trim());
			const { job: id } = await ask<{ job: string }>('/rehearsal', {
				method: 'POST',
				body: {
					before: name(asked.before),
					after: name(asked.after),
					selection: all ? null : selection,
					...(period ? { period } : {})
				}
			});
			begun = await ask<Job>(`/jobs/${id}`);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
	}
	async function noteLooked(s: Surprise) {
		trouble = null;
		try {
			await ask(`/rehearsals/${shown!.id}/looked`, {
				method: 'PUT',
				body: { key: s.key, looked: !shown!.looked[s.key] }
			});
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
		await w.reload();
	}
	const whichRecords = $derived(
		shown?.selection
			? `of ${w.schema.types.get(shown.selection.type)?.type.plural.toLowerCase() ?? 'records'} that the condition selects`
			: 'records'
	);
</script>

<svelte:head><title>Rehearse · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<div class="flex items-start gap-4">
		<h1 class="text-xl">Rehearse</h1>
		<div class="grow">
			<Asking
				{asked}
				releases={data.releases}
				{newest}
				disabled={!w.canEdit || running}
				onchange={(a) => (chosen = a)}
			/>
		</div>
		{#if w.canEdit}<button
				class="button whitespace-nowrap {same ? '' : 'main'}"
				disabled={running}
				onclick={run}>{same ? 'Run again' : 'Run'}</button
			>{/if}
	</div>
	<p class="mt-1 text-quiet" role="status">
		{#if running && job?.kind === 'replay'}Taking records back to where they were, and making the
			changes again by the one and by the other …
		{:else if running}Settling every record by the one and by the other …
		{:else if result && shown}{formatCount(result.records)} of {formatCount(result.looked)}
			{#if shown.period}changes from {formatDate(shown.period.from)} to {formatDate(
					shown.period.to
				)} would have come out differently{:else}{whichRecords} would come out differently{/if}: {sayAsked(
				shown
			)}.
			{#if stale}<span class="text-ochre">▲ This is older than the draft.</span>
			{:else if superseded}<span class="text-ochre"
					>▲ {capital(sayVersion(w.force.number))} is in force by now.</span
				>
			{:else if shown.rowsSince.length}<span class="text-ochre"
					>▲ Rows of {andList(shown.rowsSince.map((t) => `“${t}”`))} were edited since.</span
				>{/if}
			Run {formatMoment(shown.at, w.model.zone)}{shown.by ? ` by ${shown.by}` : ''}.
		{:else}Shows what a version would change in the records that exist, or in what was done of late.
			Nothing is written.{/if}
	</p>
	{#each ['before', 'after'] as const as side (side)}
		{#if result?.faulty[side].length && shown}<p class="text-ochre">
				▲ Of {sayVersionOf(shown, side)} these cannot be read as they stand and had no part in it: {andList(
					result.faulty[side]
				)}.
			</p>{/if}
	{/each}
	{#if result?.replay && shown}<Limits
			replay={result.replay}
			before={sayVersionOf(shown, 'before')}
		/>{/if}
	{#if result?.partly}<p class="text-ochre">
			▲ {formatCount(result.partly)} records have so many linked ones that come out otherwise that these
			were read as they are stored.
		</p>{/if}
	{#if data.forgotten}<p class="text-ochre">
			▲ That rehearsal is not kept any more: the newest is shown.
		</p>{/if}
	{#if job && running}<div class="ticks run mt-2"></div>
		<JobState {job} onchange={looking} />{/if}
	{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}

	{#if result && shown}
		<div class="mt-3 grid gap-6" style="grid-template-columns: 320px minmax(0, 1fr)">
			<Contents
				{result}
				{shown}
				kept={data.kept}
				{see}
				{about}
				onsee={(key) => void go({ see: key })}
				onlooked={(s) => void noteLooked(s)}
			/>
			<div class="min-w-0">
				{#if about}
					{#key `${shown.id} ${see}`}<Told {result} {shown} {about} {surprise} {rule} />{/key}
				{:else if shown.period}<p class="border border-line bg-sheet p-6">
						Nothing that was done in these days would have come out differently.{#if !result.looked}
							No change was made again, so that says nothing.{/if}
					</p>
				{:else}<p class="border border-line bg-sheet p-6">
						On no record that exists does it give another value. New inputs may still differ: see
						<a class="textlink" href="/try">the trials</a>.
					</p>{/if}
			</div>
		</div>
	{:else if !shown && !running && asked.after === null}
		<section
			class="mt-3 max-w-3xl border border-line bg-sheet p-6"
			aria-labelledby="ahead-h"
			data-testid="ahead"
		>
			{#if w.changes.length}
				<h2 id="ahead-h">What the draft changes</h2>
				<Changed />
				<p class="mt-2 text-sm text-quiet">
					Run finds which values come out otherwise by that, and in which records; what would
					surprise comes first.
				</p>
			{:else}
				<h2 id="ahead-h">The draft is what is in force</h2>
				<p class="mt-1 text-sm text-quiet">
					Nothing would come out otherwise. Write a change first, or choose above which two versions
					are held against each other.
				</p>
			{/if}
		</section>
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
