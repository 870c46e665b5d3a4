<script lang="ts">
	/** An edit of rows that is not in force yet: what it holds, a look at what it would do, and putting it in force. */
	import { onMount } from 'svelte';
	import type { ReferenceTable } from '$core';
	import { LARGE_EDIT, MOST_EDITED } from '$door/living';
	import type { Job } from '$server/db/jobs';
	import type { RehearsalSaid } from '$server/db/rehearsals';
	import JobState from '../shell/JobState.svelte';
	import { Refused, ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';
	import { formatCount, formatMoment } from '../words/format';
	import type { LiveRows } from './live.svelte';
	import { sayCell } from './words';

	let {
		live,
		table,
		ondone
	}: {
		live: LiveRows;
		table: ReferenceTable;
		/** Told what became of it, in words. */
		ondone: (said: string) => void;
	} = $props();

	const w = useWorkbench();
	let why = $state('');
	let brings = $state(true);
	let busy = $state(false);
	let trouble = $state('');
	let others = $state.raw<{ id: string; by: string | null; at: string | null }[]>([]);
	/** The look, and the edit that it was of. */
	let look = $state.raw<{ job: Job; of: string } | null>(null);
	let seen = $state.raw<RehearsalSaid | null>(null);

	const { counts } = $derived(live);
	const n = $derived(live.edits.length);
	const now = $derived(JSON.stringify(live.edits));
	/** What was looked at is what stands here. */
	const fresh = $derived(!!seen && look?.of === now);
	const large = $derived(n > LARGE_EDIT);
	const over = $derived(n > MOST_EDITED);
	const said = $derived(
		[
			counts.added && `${formatCount(counts.added)} new`,
			counts.changed && `${formatCount(counts.changed)} changed`,
			counts.removed && `${formatCount(counts.removed)} taken away`
		]
			.filter(Boolean)
			.join(', ')
	);

	async function begin() {
		trouble = '';
		seen = null;
		const of = now;
		try {
			const { job } = await ask<{ job: string }>(`/tables/${table.id}/rows/look`, {
				method: 'POST',
				body: { edits: live.edits }
			});
			look = { job: await ask<Job>(`/jobs/${job}`), of };
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
	}
	const running = $derived(!!look && !look.job.ended);
	let asking = false;
	async function follow() {
		if (!look || asking) return;
		asking = true;
		try {
			const { of } = look;
			const job = await ask<Job>(`/jobs/${look.job.id}`);
			const told = job.state === 'done' ? await ask<RehearsalSaid>(`/rehearsals/${job.id}`) : null;
			look = { job, of };
			seen = told;
		} catch (e) {
			// while the server is away it is asked again
			if (!(e instanceof Refused)) throw e;
		} finally {
			asking = false;
		}
	}
	onMount(() => {
		const timer = setInterval(() => {
			if (running && !document.hidden) void follow();
		}, 400);
		return () => clearInterval(timer);
	});

	async function put() {
		if (busy) return;
		busy = true;
		trouble = '';
		const { edits } = live;
		try {
			const answer = await ask<{ number?: number; overtaken?: typeof others }>(
				`/tables/${table.id}/rows`,
				{
					method: 'POST',
					body: { edits, why: why.trim(), brings, look: fresh ? look!.job.id : null }
				}
			);
			if (answer.overtaken) {
				others = answer.overtaken;
				await w.reload();
				return;
			}
			others = [];
			await w.reload();
			live.stored(edits);
			why = '';
			look = seen = null;
			ondone(
				`In force as edit ${answer.number}. ${brings ? 'The records that it concerns follow by a job.' : 'The records that it concerns are listed as out of line once they are found.'}`
			);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable
				? 'The server cannot be reached. Your edit is still here; put it in force again.'
				: e.message;
		} finally {
			busy = false;
		}
	}
	const nameOf = (type: string, field: string) =>
		`${w.schema.types.get(type)?.type.label ?? type}: ${w.schema.field(type, field)?.label ?? field}`;
	const byOf = (id: string) => others.find((o) => o.id === id);
</script>

<section class="mt-2 border border-brass bg-sheet px-3 py-2 text-sm" aria-label="Not in force yet">
	<div class="flex flex-wrap items-center gap-x-4 gap-y-1">
		<p><strong>Not in force yet:</strong> {said}</p>
		<label class="flex grow items-center gap-2"
			><span class="text-quiet">Why</span><input
				class="box min-w-40 grow"
				maxlength="500"
				placeholder="for those who read it later"
				bind:value={why}
			/></label
		>
		<label class="flex items-center gap-2"
			><input type="checkbox" bind:checked={brings} />the records it concerns follow</label
		>
	</div>
	<div class="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1">
		<button
			class="button"
			disabled={busy || running || over || !!live.overtaken.length}
			onclick={begin}>{fresh ? 'Look again' : 'Look what it would do'}</button
		>
		<button
			class="button main"
			disabled={busy || running || over || !!live.overtaken.length || (large && !fresh)}
			onclick={put}>Put in force</button
		>
		<button class="textlink" disabled={busy} onclick={() => live.discard()}>Discard it</button>
		{#if over}<span class="text-ochre"
				>▲ {formatCount(n)} rows; an edit takes {formatCount(MOST_EDITED)}. Take the file in parts,
				or release the table with these rows.</span
			>
		{:else if large && !fresh && !running}<span class="text-quiet"
				>More than {LARGE_EDIT} rows at once: look first.</span
			>{/if}
	</div>
	{#if look && running}<div class="mt-1"><JobState job={look.job} onchange={follow} /></div>{/if}
	{#if look?.job.state === 'failed'}<p class="mt-1 text-brick" role="alert">
			● {look.job.message}
		</p>{/if}
	{#if seen}
		<div class="mt-1" role="status">
			{#if !fresh}<p class="text-ochre">▲ This was looked at before the last change above.</p>{/if}
			{#if seen.records}
				<p>
					{formatCount(seen.records)} of {formatCount(seen.looked)} records would come out otherwise:
					<a class="textlink" href="/rehearse?id={look!.job.id}">record by record</a>
				</p>
				<ul class="flex flex-wrap gap-x-5">
					{#each seen.fields as f (`${f.type}.${f.field}`)}
						<li>
							{nameOf(f.type, f.field)}
							<span class="mono text-brass-ink">{formatCount(f.count)}</span
							>{#if f.overwritten}<span class="text-quiet"
									>, {formatCount(f.overwritten)} of them set by hand</span
								>{/if}
						</li>
					{/each}
				</ul>
				{#each seen.refused as r (r.claim)}<p class="text-brick">
						● {formatCount(r.count)} records would be refused by “{r.rule}” when they are next
						saved.
					</p>{/each}
			{:else}<p>No record that exists would come out otherwise.</p>{/if}
		</div>
	{/if}
	{#if live.overtaken.length}
		<div class="mt-1 border-l-2 border-ochre pl-3" role="alert">
			<p class="text-ochre">
				▲ Somebody else edited the same {live.overtaken.length === 1 ? 'row' : 'rows'}. Nothing of
				yours is in force; say which counts.
			</p>
			{#each live.shown as r, at (r.id)}
				{#if r.theirs !== undefined}
					{@const by = byOf(r.id)}
					<p class="flex flex-wrap items-center gap-3">
						<span
							>Row {at + 1}: {r.theirs === null ? 'taken away' : 'edited'}{by
								? ` by ${by.by ?? 'somebody'}${by.at ? `, ${formatMoment(by.at, w.model.zone)}` : ''}`
								: ''}{#if r.theirs}, now
								<span class="mono"
									>{table.columns
										.map((c) => sayCell(w, c, r.theirs?.[c.id] ?? null) || '–')
										.join(' · ')}</span
								>{/if}</span
						>
						<button class="textlink" onclick={() => live.settle(r.id, 'theirs')}>Take theirs</button
						>
						<button class="textlink" onclick={() => live.settle(r.id, 'mine')}
							>Mine in its place</button
						>
					</p>
				{/if}
			{/each}
		</div>
	{/if}
	{#if trouble}<p class="mt-1 text-brick" role="alert">● {trouble}</p>{/if}
</section>
