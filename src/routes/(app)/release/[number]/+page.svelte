<script lang="ts">
	/** One release, for good: what it is for, what it changed, what was so when it was made, and when it was in force. */
	import { compareVersions } from '$core';
	import Held from '$lib/release/Held.svelte';
	import Versions from '$lib/release/Versions.svelte';
	import { formatMoment, formatValue } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const r = $derived(data.release);
	const inForce = $derived(r.number === w.force.number);
	const all = $derived(
		data.before &&
			compareVersions(
				data.before,
				data.after,
				(schema) => (f, v) =>
					formatValue({ ...f, id: '', label: '', group: '' }, v, schema, w.titles.all)
			)
	);
	const say = (at: string) => formatMoment(at, w.model.zone);
</script>

<svelte:head><title>Release {r.number} · Rigid Rule</title></svelte:head>

<div class="max-w-5xl px-6 pt-3 pb-10">
	<div class="flex items-baseline gap-4">
		<h1 class="text-xl">Release {r.number}</h1>
		<p class="grow">
			{#if inForce}<span class="text-brass-ink">◆ in force</span>{/if}
		</p>
		<nav class="flex gap-4 text-sm" aria-label="Other releases">
			{#if data.releases.includes(r.number - 1)}<a class="textlink" href="/release/{r.number - 1}"
					>Release {r.number - 1}</a
				>{/if}
			{#if data.releases.includes(r.number + 1)}<a class="textlink" href="/release/{r.number + 1}"
					>Release {r.number + 1}</a
				>{/if}
			<a class="textlink" href="/release">All releases</a>
		</nav>
	</div>
	<p>{r.note}</p>
	<p class="text-quiet">
		Released {say(r.created_at)}{r.created_by ? ` by ${r.created_by}` : ''}, {r.rules} rules, hash
		<span class="mono text-sm">{r.hash.slice(0, 16)}</span>.
	</p>
	{#if data.unfit}<p class="text-ochre">
			▲ It no longer runs on the model as it is today. {data.unfit}
		</p>{/if}
	<p class="mt-1 flex flex-wrap gap-4">
		<a class="textlink" href="/paper/{r.number}">Its rules, on paper</a>
		<a class="textlink" href="/releases/{r.number}" download="release-{r.number}.json">As a file</a>
		<a class="textlink" href="/compare?from={r.number}&to=draft">Against the draft</a>
		{#if !inForce && w.canEdit}<a class="textlink" href="/rehearse?after={r.number}"
				>Rehearse its return</a
			>{/if}
	</p>

	<div class="mt-4 grid gap-8" style="grid-template-columns: minmax(0, 1fr) 300px">
		<div>
			<h2 class="text-base">What it changed</h2>
			<div class="ticks mt-1"></div>
			{#if !data.before}<p class="mt-1 text-quiet">
					It is the first: all of it is new. <a class="textlink" href="/paper/{r.number}"
						>Read its rules</a
					>
				</p>
			{:else if all?.length}<Versions {all} />
			{:else}<p class="mt-1 text-quiet">It says the same as release {r.number - 1}.</p>{/if}
		</div>
		<div>
			<h2 class="text-base">What was so</h2>
			<div class="ticks mt-1"></div>
			{#if r.gate}<Held passing={r.gate} past />
			{:else}<p class="mt-1 text-sm text-quiet">
					Nothing was asked of it, so nothing is known.
				</p>{/if}
			<h2 class="mt-4 text-base">In force</h2>
			<div class="ticks mt-1"></div>
			<ul class="text-sm">
				{#each data.times as t, i (i)}
					<li class="border-b border-hairline py-1">
						from {say(t.at)}{t.by ? `, by ${t.by},` : ''}
						{t.until ? `to ${say(t.until)}` : 'until now'}
					</li>
				{:else}<li class="py-1 text-quiet">It never was.</li>{/each}
			</ul>
		</div>
	</div>
</div>
