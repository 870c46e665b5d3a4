<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { compareVersions, noteOf, sheetOf, stopsRelease } from '$core';
	import { MOST_REASON, held, heldReturn, keepsOut, needsReason, type Criterion } from '$door/gate';
	import Changed from '$lib/release/Changed.svelte';
	import Held from '$lib/release/Held.svelte';
	import Exchange from '$lib/rule/Exchange.svelte';
	import Remarks from '$lib/work/Remarks.svelte';
	import { formatMoment } from '$lib/words/format';
	import { Refused, ask } from '$lib/work/http';
	import { tell } from '$lib/shell/notices';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	onMount(() => w.covering.want());
	let note = $state('');
	let trouble = $state<string | null>(null);
	/** Existing records are not waited with. */
	let lock = $state(false);
	/** The release is only made. */
	let hold = $state(false);
	const holds = $derived(hold || w.pilot !== null);
	/** Why it is released although something is not met. */
	let reasons = $state<Partial<Record<Criterion, string>>>({});
	let busy = $state(false);
	/** The draft is looked through once more by the server, which may take seconds. */
	let releasing = $state(false);
	let asking = $state<{ number: number; what: 'put in force' | 'take as draft' } | null>(null);
	/** The draft put aside that one is about to return to. */
	let returning = $state<string | null>(null);

	const blocking = $derived(w.found.filter(stopsRelease));
	/** What is not yet known is said to be: the analysis and the trials run beside the page. */
	const analysed = $derived(w.analysis.analysed && !w.analysis.checking);
	const tried = $derived(!w.trials.count || (w.trials.outcomes.size > 0 && !w.trials.running));
	const notices = $derived([...w.covering.notices.values()].flat());
	/** They are known of every rule, and of the draft as it is. */
	const measured = $derived(
		w.covering.left === null && w.covering.notices.size > 0 && !w.covering.noticesOld
	);
	const passing = $derived(
		held(data.gate, {
			blocking: analysed ? blocking.length : null,
			inherited: w.inherited.size,
			failing: tried ? w.trials.all.length - w.trials.held : null,
			trials: w.trials.all.length,
			tried:
				w.covering.known && !w.covering.old ? { n: w.covering.tried, of: w.covering.points } : null,
			noticed: measured ? { n: notices.filter((n) => n.by).length, of: notices.length } : null,
			remarks: w.remarks.filter((m) => !m.settledAt),
			...w.rehearsed
		})
	);
	const asked = $derived(passing.filter(needsReason));
	const unsaid = $derived(asked.filter((p) => !reasons[p.what]?.trim()));
	// where it counts how strong the trials are, that is looked at without being asked
	$effect(() => {
		if (data.gate.levels.strength === 'shown' || !w.covering.known || w.covering.old) return;
		untrack(() => {
			if (!measured && w.covering.left === null)
				void w.covering.strength([...w.covering.rules.keys()]);
		});
	});
	const openRemarks = $derived(w.remarks.filter((m) => !m.settledAt));
	const remarkedAt = (m: (typeof openRemarks)[number]) => {
		// what is not looked at yet is not known to be gone
		if (m.kind === 'trial')
			return !w.trials.known || w.trials.all.some((t) => t.id === m.key) ? `/try#${m.key}` : null;
		if (m.kind === 'finding')
			return !analysed || [...w.found, ...w.accepted].some((f) => f.id === m.key) ? '/check' : null;
		const r = w.rule(m.key);
		return r ? `/write/${r.type}/${sheetOf(r)}#rule-${r.id}` : null;
	};

	/** @param body made when what was edited here is stored, since it names the revision that was looked at */
	async function post(url: string, body: () => unknown): Promise<Record<string, unknown> | null> {
		busy = true;
		trouble = null;
		await w.flush();
		try {
			return await ask<Record<string, unknown>>(url, { method: 'POST', body: body() });
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; nothing was released.' : e.message;
			return null;
		} finally {
			await w.reload();
			busy = false;
		}
	}
	/** What differs, in one line: to be written over. */
	const proposedNote = () =>
		noteOf(
			compareVersions(
				{ model: w.model, set: w.force.set },
				{ model: w.model, set: w.draft },
				() => w.sayValue
			)
		);
	async function release() {
		if (!note.trim()) {
			trouble = 'Write one line on what this release is for.';
			return;
		}
		releasing = true;
		const r = await post('/releases', () => ({
			note,
			reasons: Object.fromEntries(asked.map((p) => [p.what, reasons[p.what]?.trim() ?? ''])),
			revision: w.revision,
			lock: lock && !holds,
			hold: holds
		})).finally(() => (releasing = false));
		if (!r) return;
		tell(
			holds
				? `Release ${String(r.number)} is made, and not in force yet.`
				: `Release ${String(r.number)} is in force on every entry point.`
		);
		hold = false;
		lock = false;
		note = '';
		reasons = {};
	}
	/** What the gate says of the return that is asked about. */
	const ofReturn = $derived.by(() => {
		if (asking?.what !== 'put in force' || !w.force.number) return [];
		return heldReturn(data.gate, data.returns[asking.number] ?? null);
	});
	let why = $state('');
	const wantsWhy = $derived(ofReturn.some(needsReason));
	async function act() {
		const { number, what } = asking!;
		const reason = wantsWhy ? why.trim() : '';
		asking = null;
		why = '';
		const before = w.draft;
		const body = () => ({
			do: what,
			revision: w.revision,
			...(what === 'put in force' ? { reason } : {})
		});
		if (await post(`/releases/${number}`, body)) {
			if (what === 'take as draft') w.stepped(`release ${number} as the draft`, before);
			tell(
				what === 'put in force'
					? `Release ${number} is in force on every entry point. The draft is as it was.`
					: `The draft is now what release ${number} holds. The one before is put aside.`
			);
		}
	}
	async function back(id: string) {
		returning = null;
		const before = w.draft;
		if (!(await post(`/draft/kept/${id}`, () => ({ revision: w.revision })))) return;
		w.stepped('return to a draft', before);
		tell('The draft is again what it was then. The one that stood is put aside.');
	}
</script>

<svelte:head><title>Release · Rigid Rule</title></svelte:head>

<div class="max-w-5xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Release</h1>
	<p class="text-quiet" role="status">
		{w.force.number ? `Release ${w.force.number} is in force.` : 'Nothing is in force yet.'}
		{#if w.pilot}<span class="text-brass-ink">◇</span> Release {w.pilot.release} decides some records
			first, as a <a class="textlink" href="/pilot">pilot</a>.{/if}
	</p>

	<section class="mt-3 border border-line bg-sheet">
		<div class="ticks"></div>
		<div class="grid gap-6 p-5" style="grid-template-columns: minmax(0, 1fr) 280px">
			<div>
				<div class="flex items-baseline justify-between">
					<h2>The draft against release {w.force.number}</h2>
					<span class="flex gap-4"
						><a class="textlink text-sm" href="/compare">Compare any two versions</a>
						<a class="textlink text-sm" href="/paper/draft">The draft on paper</a></span
					>
				</div>
				{#if w.changes.length}
					<Changed />
				{:else}<p class="mt-1 text-quiet">
						The draft is what is in force. There is nothing to release.
					</p>{/if}
				{#if openRemarks.length}
					<h3 id="remarks" class="mt-4 text-sm">Open remarks · {openRemarks.length}</h3>
					<ul class="text-sm" data-testid="remarks">
						{#each openRemarks as m (m.id)}
							{@const to = remarkedAt(m)}
							<li class="border-b border-hairline py-1">
								{#if to}<a class="textlink" href={to}>{m.title}</a>{:else}{m.title}
									<span class="text-quiet">(no longer there)</span>{/if}
								<Remarks
									at={{ kind: m.kind, key: m.key }}
									title={m.title}
									only={m.id}
									offered={false}
								/>
							</li>
						{/each}
					</ul>
				{/if}
				{#if w.may('release') && w.changes.length}
					<div class="mt-4 flex items-baseline justify-between">
						<label class="text-sm font-medium" for="note">What this release is for</label>
						<button class="textlink text-sm" onclick={() => (note = proposedNote())}
							>Say what differs</button
						>
					</div>
					<input
						id="note"
						class="box mt-1 w-full"
						maxlength="1000"
						bind:value={note}
						placeholder="One line for those who come after"
					/>
					{#each asked as p (p.what)}
						<label class="mt-2 block text-sm"
							><span class="text-ochre">▲ {p.says}</span> Why release it all the same?
							<input
								class="box mt-1 w-full"
								maxlength={MOST_REASON}
								bind:value={
									() => reasons[p.what] ?? '', (v) => (reasons = { ...reasons, [p.what]: v })
								}
							/></label
						>
					{/each}
					{#if w.force.number}<label class="mt-2 flex min-h-6 items-center gap-2 text-sm"
							><input
								type="checkbox"
								checked={holds}
								disabled={w.pilot !== null}
								onchange={(e) => (hold = e.currentTarget.checked)}
							/>not in force yet: it is only made, to decide some records first or to be put in
							force later</label
						>{/if}
					{#if !holds}<label class="mt-2 flex min-h-6 items-center gap-2 text-sm"
							><input type="checkbox" bind:checked={lock} />bring what is Locked into line in all
							existing records at once</label
						>
						<p class="text-sm text-quiet">
							Otherwise they stay as they are, are listed as
							<a class="textlink" href="/line">out of line</a>, and come into line when you say so,
							after a look, or when they are next saved.
						</p>{/if}
					<button
						class="button main mt-3"
						disabled={busy || data.needsSecond || passing.some(keepsOut) || unsaid.length > 0}
						onclick={release}
						>Release the draft as version {(data.releases[0]?.number ?? 0) + 1}</button
					>
					{#if releasing}<span class="ml-3 text-quiet" role="status"
							>Looking through the draft and its trials once more …</span
						>{/if}
				{/if}
				{#if w.may('release') && data.needsSecond && w.changes.length}<p class="mt-3 text-ochre">
						▲ You wrote in this draft: somebody else releases it.
						<a class="textlink" href="/settings">Settings</a>
					</p>{/if}
				{#if !w.may('release') && w.changes.length}<p class="mt-3 text-quiet">
						Releasing is for releasers and administrators; you are {w.account.role}.
						<a class="textlink" href="/people#rights">Who may do what</a>
					</p>{/if}
				{#if trouble}<p class="mt-2 text-brick" role="alert">● {trouble}</p>{/if}
			</div>
			<div>
				<h2 class="text-sm">Ready?</h2>
				<Held {passing} />
				{#if w.accepted.length}<a class="textlink text-sm" href="/check"
						>{w.accepted.length} finding{w.accepted.length > 1 ? 's' : ''} accepted</a
					>{/if}
				{#if w.may('settings')}<p class="mt-1 text-sm">
						<a class="textlink" href="/settings#gate-h">What has to be so</a>
					</p>{/if}
			</div>
		</div>
	</section>

	<div class="mt-6 flex items-baseline justify-between">
		<h2>Releases</h2>
		<a class="textlink text-sm" href="/pilot">Pilots: a release that decides some records first</a>
	</div>
	<div class="ticks mt-1"></div>
	<table class="grid-table">
		<thead
			><tr
				><th>Version</th><th>For</th><th>Released</th><th>Rules</th><th>Hash</th><th
					><span class="sr-only">What can be done with it</span></th
				></tr
			></thead
		>
		<tbody>
			{#each data.releases as r (r.number)}
				<tr>
					<td class="mono font-semibold whitespace-nowrap"
						><a class="textlink" href="/release/{r.number}">v{r.number}</a
						>{#if r.number === w.force.number}<span class="ml-2 font-sans text-xs text-brass-ink"
								>◆ in force</span
							>{/if}{#if r.number === w.pilot?.release}<a
								class="textlink ml-2 font-sans text-xs"
								href="/pilot">◇ pilot</a
							>{/if}</td
					>
					<td
						>{r.note}{#if data.unfit[r.number]}<span class="block text-sm text-ochre"
								>▲ It no longer runs on the model as it is today. {data.unfit[r.number]}</span
							>{/if}</td
					>
					<td class="text-sm whitespace-nowrap"
						>{formatMoment(r.created_at, w.model.zone)}
						<div class="text-xs text-quiet">{r.created_by ?? ''}</div></td
					>
					<td class="mono">{r.rules}</td>
					<td class="mono text-xs text-quiet" title="{r.hash}: the file of this release"
						><a class="textlink" href="/releases/{r.number}" download="release-{r.number}.json"
							>{r.hash.slice(0, 10)}</a
						></td
					>
					<td class="text-sm whitespace-nowrap">
						<a class="textlink mr-3" href="/paper/{r.number}">On paper</a>
						{#if w.may('release')}
							{#if asking?.number === r.number}
								{#each ofReturn as p (p.what)}<p class="whitespace-normal">
										<span class={p.met ? 'text-teal' : 'text-ochre'}
											>{p.met ? '✓' : '▲'} {p.says}</span
										>
										<a
											class="textlink"
											href={data.returns[r.number]
												? `/rehearse?id=${data.returns[r.number].id}`
												: `/rehearse?before=${w.force.number}&after=${r.number}`}
											>{data.returns[r.number] ? 'See it' : 'Rehearse it first'}</a
										>
									</p>{/each}
								{#if wantsWhy}<label class="block whitespace-normal"
										>Why put it in force all the same? <input
											class="box mt-1 w-64"
											maxlength={MOST_REASON}
											bind:value={why}
										/></label
									>{/if}
								<span
									>{asking.what === 'put in force'
										? `Put v${r.number} in force everywhere?`
										: w.changes.length
											? `Put the draft with its ${w.changes.length} change${w.changes.length > 1 ? 's' : ''} aside?`
											: 'Replace the draft?'}</span
								>
								<button
									class="textlink ml-2 font-semibold"
									disabled={wantsWhy && !why.trim()}
									onclick={act}>Yes</button
								>
								<button
									class="textlink ml-2"
									onclick={() => {
										asking = null;
										why = '';
									}}>No</button
								>
							{:else}
								{#if r.number !== w.force.number && w.force.number && !w.pilot}<a
										class="textlink mr-3"
										href="/pilot?release={r.number}"
										aria-label="Let v{r.number} decide some records first">On some first</a
									>{/if}
								{#if r.number !== w.force.number}<button
										class="textlink"
										disabled={busy || r.number in data.unfit || w.pilot !== null}
										onclick={() => (asking = { number: r.number, what: 'put in force' })}
										>Put in force</button
									>{/if}
								<button
									class="textlink ml-3"
									disabled={busy}
									onclick={() => (asking = { number: r.number, what: 'take as draft' })}
									>Take as draft</button
								>
							{/if}
						{/if}
					</td>
				</tr>
			{/each}
		</tbody>
	</table>
	{#if data.kept.length}
		<h2 class="mt-6">Drafts put aside</h2>
		<p class="text-sm text-quiet">
			A draft that another took the place of is kept, the newest twenty of them.
		</p>
		<div class="ticks mt-1"></div>
		<table class="grid-table text-sm" aria-label="Drafts put aside">
			<thead
				><tr
					><th>Put aside</th><th>By</th><th>In its place</th><th>Rules</th><th
						><span class="sr-only">What can be done with it</span></th
					></tr
				></thead
			>
			<tbody>
				{#each data.kept as k (k.id)}
					<tr>
						<td class="whitespace-nowrap">{formatMoment(k.at, w.model.zone)}</td>
						<td>{k.by ?? ''}</td>
						<td>{k.instead}</td>
						<td class="mono">{k.rules}</td>
						<td class="whitespace-nowrap">
							{#if w.may('release')}
								{#if returning === k.id}<span>Put the present draft aside for it?</span>
									<button class="textlink ml-2 font-semibold" onclick={() => void back(k.id)}
										>Yes</button
									>
									<button class="textlink ml-2" onclick={() => (returning = null)}>No</button>
								{:else}<button class="textlink" disabled={busy} onclick={() => (returning = k.id)}
										>Return to it</button
									>{/if}
							{/if}
						</td>
					</tr>
				{/each}
			</tbody>
		</table>
	{/if}
	<section class="mt-6" aria-labelledby="as-bundle">
		<h2 id="as-bundle">As a bundle</h2>
		<div class="ticks mt-1"></div>
		<p class="mt-1 text-sm text-quiet">
			Rules, tables, trials and the model they speak of as one file, for another workspace, version
			control, or checks without a server.
			<a class="textlink" href="/bundle">Take one out, or in</a>
		</p>
	</section>
	<Exchange releases={data.releases} />
</div>
