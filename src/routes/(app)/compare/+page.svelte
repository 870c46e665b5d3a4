<script lang="ts">
	/** Any two of the draft, the releases and a release from a file: what differs, and which trials come out otherwise. */
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import {
		compareVersions,
		sayCame,
		trialsApart,
		withRows,
		withoutRows,
		type Trial,
		type TrialResult,
		type Version
	} from '$core';
	import Choose from '$lib/inputs/Choose.svelte';
	import Versions from '$lib/release/Versions.svelte';
	import { trialWords, wordsOf } from '$lib/trials/words';
	import { formatValue } from '$lib/words/format';
	import { Refused, ask } from '$lib/work/http';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import { zones } from '../../../runtime/zones';

	let { data } = $props();
	const w = useWorkbench();
	const words = $derived(trialWords(w));
	/** One that was taken from a file, with what it is called. */
	let file = $state.raw<{ name: string; version: Version; document: unknown } | null>(null);
	let trouble = $state<string | null>(null);
	const inForce = $derived(w.force.number ? String(w.force.number) : 'draft');
	const from = $derived(page.url.searchParams.get('from') ?? inForce);
	const to = $derived(page.url.searchParams.get('to') ?? 'draft');
	const choices = $derived([
		{ value: 'draft', label: 'The draft' },
		...data.releases.map((r) => ({ value: String(r.number), label: `Release ${r.number}` })),
		...(file ? [{ value: 'file', label: file.name }] : [])
	]);
	function version(name: string, loaded: Version | null): Version | null {
		if (name === 'draft') return { model: w.model, set: w.draft };
		if (name === 'file') return file?.version ?? null;
		// what is in force is on the page
		return loaded ?? (name === inForce ? { model: w.model, set: w.force.set } : null);
	}
	const before = $derived(version(from, data.from));
	const after = $derived(version(to, data.to));
	const called = (name: string) => choices.find((c) => c.value === name)?.label ?? name;
	const all = $derived(
		before && after
			? compareVersions(
					before,
					after,
					(schema) => (f, v) =>
						formatValue({ ...f, id: '', label: '', group: '' }, v, schema, w.titles.all)
				)
			: null
	);
	const pick = (side: 'from' | 'to', value: string) => {
		const next = new URLSearchParams({ from, to, [side]: value });
		void goto(`/compare?${next.toString()}`, { keepFocus: true, noScroll: true });
	};
	/** Trials find the rows of living tables that stand, whichever version they run on. */
	const whole = ({ model, set }: Version): Version => ({
		model,
		set: withRows(set, w.living.rows)
	});
	const outcomes = $derived(
		before && after ? trialsApart(whole(before), whole(after), w.trials.all, zones) : []
	);
	const came = (t: Trial, r: TrialResult) =>
		r.fault ?? r.lines.map((l) => sayCame(t.type, l, wordsOf(t, words))).join('; ');
	const asked = (name: string) => (name === 'draft' ? 'draft' : Number(name));
	let busy = $state(false);
	/** Rehearses the two on the existing records: a version from a file is sent along. */
	async function rehearse() {
		const side = from === 'file' ? 'before' : 'after';
		busy = true;
		trouble = null;
		try {
			await w.flush();
			const { job } = await ask<{ job: string }>('/rehearsal', {
				method: 'POST',
				body: {
					...(from === 'file' ? {} : { before: asked(from) }),
					...(to === 'file' ? {} : { after: asked(to) }),
					file: { name: file!.name.slice(0, 200), as: side, document: file!.document }
				}
			});
			await goto(`/rehearse?id=${job}`);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		} finally {
			busy = false;
		}
	}
	async function read(e: Event) {
		const input = e.currentTarget as HTMLInputElement;
		const given = input.files?.[0];
		if (!given) return;
		trouble = null;
		try {
			// what comes from outside is checked, by what the server checks it with; loaded for this alone
			const { checkVersionFile, parseJson } = await import('../../../door');
			const document = parseJson(await given.text(), given.name, 60_000_000);
			const { model, set } = checkVersionFile(document);
			// of living tables the draft and releases hold no rows
			const tables = set.tables?.map(withoutRows);
			file = {
				name: given.name,
				version: { model, set: { ...set, ...(tables ? { tables } : {}) } },
				document
			};
			pick('to', 'file');
		} catch (err) {
			trouble = `${given.name}: ${(err as Error).message}`;
		}
		input.value = '';
	}
</script>

<svelte:head><title>Compare · Rigid Rule</title></svelte:head>

<div class="max-w-5xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Compare</h1>
	<div class="mt-1 flex flex-wrap items-center gap-2">
		<Choose value={from} {choices} label="The earlier one" onpick={(v) => pick('from', v)} />
		<span class="text-quiet">against</span>
		<Choose value={to} {choices} label="The later one" onpick={(v) => pick('to', v)} />
		<label class="textlink cursor-pointer pl-3"
			>A release or bundle from a file <input
				type="file"
				accept="application/json,.json"
				class="sr-only"
				onchange={(e) => void read(e)}
			/></label
		>
	</div>
	{#if trouble}<p class="mt-1 text-brick" role="alert">● {trouble}</p>{/if}
	<div class="ticks mt-3"></div>
	{#if !all}
		<p class="mt-2 text-quiet">
			{!before ? called(from) : called(to)} is not here. Choose another.
		</p>
	{:else}
		<p class="mt-2" role="status">
			{all.length
				? `${all.length} ${all.length === 1 ? 'thing differs' : 'things differ'} between ${called(from)} and ${called(to)}.`
				: `${called(from)} and ${called(to)} say the same.`}
		</p>
		<Versions {all} />
		<h2 class="mt-4 text-base">On the records</h2>
		<p class="mt-1">
			{#if from === to}<span class="text-quiet">Choose two different versions.</span>
			{:else if from !== 'file' && to !== 'file'}<a
					class="textlink"
					href="/rehearse?before={from}&after={to}"
					>What {called(to)} would change in them against {called(from)}</a
				>
			{:else if !w.canEdit}<span class="text-quiet">Authors can rehearse it on them.</span>
			{:else}<button class="button" disabled={busy} onclick={() => void rehearse()}
					>Rehearse {called(to)} against {called(from)}</button
				>{/if}
		</p>
		<h2 class="mt-4 text-base">Trials that come out otherwise</h2>
		{#if !w.trials.known}<p class="text-quiet">… {w.trials.count} trials are being fetched.</p>
		{:else}
			<ul>
				{#each outcomes as o (o.trial.id)}
					<li class="border-t border-hairline py-1">
						<a class="textlink" href="/try#{o.trial.id}">{o.trial.name}</a>:
						<del class="text-quiet">{came(o.trial, o.before)}</del>
						<span class="text-quiet">→</span>
						<strong class="font-semibold">{came(o.trial, o.after)}</strong>
					</li>
				{:else}<li class="text-quiet">
						None of {w.trials.count}: on all of them both give the same.
					</li>{/each}
			</ul>
		{/if}
	{/if}
</div>
