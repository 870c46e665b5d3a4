<script lang="ts">
	/** The versions of one rule, newest first: who changed it when, and what differs from the one before. */
	import { canonicalJson, sayRule, sheetOf, type Rule } from '$core';
	import Differences from '$lib/rule/Differences.svelte';
	import { formatMoment } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, params } = $props();
	const w = useWorkbench();

	interface Version {
		name: string;
		/** When and by whom, and what for. */
		about: string;
		rule: Rule | null;
		inForce: boolean;
	}
	const said = (r: Rule | null) => (r ? canonicalJson(r) : '');
	const when = (at: string, by: string | null) =>
		`${formatMoment(at, w.model.zone)}${by ? `, ${by}` : ''}`;
	const draft = $derived(w.rule(params.rule) ?? null);
	/** Each with the releases that hold it as it is, the draft first where it differs. */
	const versions = $derived.by((): Version[] => {
		const released = data.releases.map((r) => ({
			name: `Release ${r.number}`,
			about: `${when(r.at, r.by)}: ${r.note}`,
			rule: r.rule,
			inForce: r.number === w.force.number
		}));
		const [newest] = released;
		const differs = said(draft) !== said(newest?.rule ?? null);
		return [
			...(differs
				? [
						{
							name: 'Draft',
							about:
								draft && data.draft
									? `last edited ${when(data.draft.at, data.draft.by)}`
									: draft
										? 'edited just now'
										: 'taken out of the draft',
							rule: draft,
							inForce: false
						}
					]
				: []),
			...released
		];
	});
	const latest = $derived(versions.find((v) => v.rule)?.rule ?? null);
	let whole = $state<string | null>(null);
</script>

<svelte:head><title>Versions of {latest?.name ?? 'a rule'} · Rigid Rule</title></svelte:head>

<div class="max-w-4xl px-6 pt-3 pb-10">
	{#if !latest}
		<h1 class="text-xl">No such rule</h1>
		<p class="mt-1 text-quiet">
			Neither the draft nor any release has a rule “{params.rule}”.
			<a class="textlink" href="/write">To the sheets</a>
		</p>
	{:else}
		<div class="flex items-baseline gap-3">
			<h1 class="text-xl">{latest.name}</h1>
			<span class="text-quiet">versions, newest first</span>
			<span class="grow"></span>
			{#if draft}<a
					class="textlink text-sm"
					href="/write/{draft.type}/{sheetOf(draft)}#rule-{draft.id}">To its sheet</a
				>{/if}
		</div>
		<ol class="mt-3">
			{#each versions as v, i (v.name)}
				{@const before = versions[i + 1]?.rule ?? null}
				{@const same = i + 1 < versions.length && said(v.rule) === said(before)}
				{#if v.rule || before}
					<li class="mb-3 border border-line bg-sheet px-4 py-3">
						<div class="flex items-baseline gap-3">
							<h2 class="text-sm font-semibold whitespace-nowrap">
								{v.name}{#if v.inForce}<span class="ml-2 text-xs text-brass-ink">◆ in force</span
									>{/if}
							</h2>
							<span class="min-w-0 grow text-sm text-quiet">{v.about}</span>
							{#if v.rule && !same && before}<button
									class="textlink text-sm whitespace-nowrap"
									aria-expanded={whole === v.name}
									aria-label="{whole === v.name
										? 'Only what differs'
										: 'The whole rule'} in {v.name}"
									onclick={() => (whole = whole === v.name ? null : v.name)}
									>{whole === v.name ? 'only what differs' : 'the whole rule'}</button
								>{/if}
						</div>
						{#if !v.rule}<p class="mt-1 text-sm">It is not in this one.</p>
						{:else if same}<p class="mt-1 text-sm text-quiet">As in {versions[i + 1].name}.</p>
						{:else if !before || whole === v.name}
							{#if !before}<p class="mt-1 text-sm text-quiet">New in this one.</p>{/if}
							<dl class="mt-1 text-sm">
								{#each sayRule(v.rule, w.schema, w.sayValue) as p (p.key)}
									<div class="said">
										<dt class="text-quiet">{p.label}</dt>
										<dd>{p.text}</dd>
									</div>
								{/each}
							</dl>
						{:else}<div class="mt-1"><Differences {before} after={v.rule} /></div>{/if}
					</li>
				{/if}
			{/each}
		</ol>
	{/if}
</div>
