<script lang="ts">
	import { page } from '$app/state';
	import type { Trial } from '$core';
	import { ENTRY_LABEL, reason, ruleOf, runTrial } from '$core';
	import { formatDate, formatValue } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import { zones } from '../../../runtime/zones';

	const w = useWorkbench();
	let only = $state<'all' | 'failing'>('all');
	let open = $state<string | null>(null);
	$effect(() => {
		const hash = page.url.hash.slice(1);
		if (hash) open = hash;
	});
	const failing = $derived(w.trials.all.filter((t) => w.trials.outcomes.get(t.id)?.held === false));
	const listed = $derived(
		only === 'failing' ? failing : [...failing, ...w.trials.all.filter((t) => !failing.includes(t))]
	);
	const say = (t: Trial, field: string, v: import('$core').JsonValue) => {
		const f = w.schema.field(t.type, field);
		return f ? formatValue(f, v, w.schema) || 'blank' : field;
	};
	const label = (t: Trial, field: string) => w.schema.field(t.type, field)?.label ?? field;
	/** The full result, with the reasons: run here for the one that is open. */
	const detail = $derived.by(() => {
		const t = w.trials.all.find((x) => x.id === open);
		return t ? runTrial(w.plan, t, zones) : null;
	});
	function expectNow(t: Trial) {
		const r = runTrial(w.plan, t, zones);
		void w.trials.keep({ ...t, expect: r.lines.map((l) => ({ field: l.field, value: l.got })) });
	}
</script>

<svelte:head><title>Try · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<div class="flex items-baseline gap-4">
		<h1 class="text-xl">Try</h1>
		<p class="grow text-quiet" role="status">
			{#if !w.trials.all.length}There are no trials yet. Open a field, change the sample and keep
				what you see as a trial.
			{:else}{w.trials.held} of {w.trials.all.length} trials hold in the draft{w.trials.running
					? ', running …'
					: ''}. They run again at every edit.{/if}
		</p>
		<label class="text-sm"
			><input
				type="checkbox"
				checked={only === 'failing'}
				onchange={(e) => (only = e.currentTarget.checked ? 'failing' : 'all')}
			/> only those that fail</label
		>
	</div>
	<div class="ticks mt-3"></div>
	<table class="grid-table">
		<thead
			><tr
				><th class="w-24">Result</th><th>Trial</th><th>Change</th><th>Expected</th><th>Got</th></tr
			></thead
		>
		<tbody>
			{#each listed as t (t.id)}
				{@const o = w.trials.outcomes.get(t.id)}
				<tr id={t.id} class:failed={o && !o.held}>
					<td class="whitespace-nowrap">
						{#if !o}<span class="text-quiet">–</span>{:else if o.held}<span class="text-teal"
								>✓ holds</span
							>{:else}<span class="font-semibold text-brick">✕ fails</span>{/if}
					</td>
					<td>
						<button
							class="textlink text-left"
							aria-expanded={open === t.id}
							onclick={() => (open = open === t.id ? null : t.id)}>{t.name}</button
						>
						<div class="text-xs text-quiet">
							{w.schema.types.get(t.type)?.type.label}{t.was === null ? ', new' : ''} · {ENTRY_LABEL[
								t.entryPoint
							]}
						</div>
					</td>
					<td class="text-sm"
						>{#each t.sent as [f, v], i (f)}{i ? ', ' : ''}{label(t, f)}
							<span class="mono text-teal">{say(t, f, v)}</span>{/each}</td
					>
					<td class="text-sm"
						>{#each t.expect as e, i (e.field)}{i ? ', ' : ''}{label(t, e.field)}
							<span class="mono">{e.not ? 'not ' : ''}{say(t, e.field, e.value)}</span>{/each}</td
					>
					<td class="text-sm">
						{#if o?.fault}<span class="text-brick">{o.fault}</span
							>{:else if o && !o.held}{#each o.lines.filter((l) => !l.held) as l, i (l.field)}{i
									? ', '
									: ''}{label(t, l.field)}
								<span class="mono text-brick">{say(t, l.field, l.got)}</span
								>{/each}{:else if o}<span class="text-quiet">as expected</span>{/if}
					</td>
				</tr>
				{#if open === t.id && detail}
					<tr>
						<td></td>
						<td colspan="4" class="bg-panel text-sm">
							{#each detail.lines as l (l.field)}
								<p class="pt-1">
									<a class="textlink" href="/write/{t.type}/{l.field}"
										><strong>{label(t, l.field)}</strong></a
									>: {l.held
										? 'as expected'
										: `expected ${l.not ? 'not ' : ''}${say(t, l.field, l.value)}, got ${say(t, l.field, l.got)}`}.
								</p>
								{#each l.reports as r (r.claim)}<p class="pl-4">
										“{ruleOf(w.plan, r.claim)?.name}”: {reason(w.plan, r)}.
									</p>{:else}<p class="pl-4 text-quiet">No rule writes it.</p>{/each}
							{/each}
							<p class="pt-1 text-quiet">
								Sample: {t.was === null
									? 'a new record'
									: Object.entries(t.was)
											.map(([f, v]) => `${label(t, f)} ${say(t, f, v)}`)
											.join(', ')}, on {formatDate(t.at)}.
							</p>
							{#if w.canEdit}
								<div class="flex gap-4 pt-1">
									{#if !detail.held && !detail.fault}<button
											class="textlink"
											onclick={() => expectNow(t)}>Expect what the draft gives now</button
										>{/if}
									<button class="textlink" onclick={() => w.trials.drop(t.id)}
										>Remove this trial</button
									>
								</div>
							{/if}
						</td>
					</tr>
				{/if}
			{:else}
				<tr
					><td colspan="5" class="text-quiet"
						>{only === 'failing' ? 'No trial fails.' : 'No trials yet.'}</td
					></tr
				>
			{/each}
		</tbody>
	</table>
</div>

<style>
	.failed td:first-child {
		box-shadow: inset 3px 0 0 var(--color-brick);
	}
</style>
