<script lang="ts">
	import { Collapsible } from 'bits-ui';
	import type { Finding } from '$core';
	import { FINDINGS } from '$core';
	import { formatValue } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	const w = useWorkbench();
	const GROUPS = [
		{ severity: 'blocking', title: 'Blocks a release', sign: '●', tone: 'text-brick' },
		{ severity: 'advisory', title: 'Advice', sign: '▲', tone: 'text-ochre' }
	] as const;
	const blocking = $derived(w.found.filter((f) => f.severity === 'blocking').length);
	const typeLabel = (id: string) => w.schema.types.get(id)?.type.label ?? id;

	/** The record that shows a finding, as field and value; of made-up linked records what they hold. */
	function shownBy(f: Finding): { label: string; value: string }[] {
		const say = (type: string, values: Record<string, unknown>, before: string) =>
			Object.entries(values).flatMap(([id, v]): { label: string; value: string }[] => {
				const x = w.schema.field(type, id);
				if (!x) return [];
				const linked = f.near?.find((r) => r.type === x.target && r.id === v);
				const label = `${before}${x.label}`;
				if (linked && Object.keys(linked.values).length)
					return say(linked.type, linked.values, `${label}’s `);
				if (linked) return [{ label, value: `any ${typeLabel(linked.type).toLowerCase()}` }];
				return [{ label, value: formatValue(x, v as string, w.schema) || 'blank' }];
			});
		return say(f.type, f.witness ?? {}, '');
	}
	const CATALOGUE = Object.entries(FINDINGS);
	let catalogue = $state(false);
</script>

<svelte:head><title>Check · Rigid Rule</title></svelte:head>

<div class="max-w-4xl px-6 pt-3 pb-10">
	<div class="flex items-baseline gap-3">
		<h1 class="text-xl">Check</h1>
		{#if w.analysis.checking && w.analysis.analysed}<span class="text-sm text-quiet" role="status"
				>looking at the last edit …</span
			>{/if}
	</div>
	<p class="mb-3 text-quiet">
		{#if !w.analysis.analysed}The {w.draft.rules.length} rules of the draft are being looked at …
		{:else if !w.found.length}Nothing wrong was found in the {w.draft.rules.length} rules of the draft.
		{:else}{w.found.length} finding{w.found.length > 1 ? 's' : ''} in {w.draft.rules.length} rules, {blocking ||
				'none'} of them blocking. Where a record stands below, it was run through the draft and shows
			it.{/if}
	</p>
	{#if w.analysis.failed}
		<p class="mb-3 bg-brick-wash px-4 py-2" role="alert">
			<span class="text-brick">● The analysis broke off</span> at the last edit, so nothing below speaks
			of it. The sample and the trials go on working; undo the edit, or try another.
		</p>
	{/if}
	{#each GROUPS as g (g.severity)}
		{@const mine = w.found.filter((f) => f.severity === g.severity)}
		{#if mine.length}
			<div class="mt-4 mb-2 flex items-center gap-3">
				<h2 class="text-sm whitespace-nowrap {g.tone}">{g.sign} {g.title} · {mine.length}</h2>
				<div class="ticks grow"></div>
			</div>
		{/if}
		{#each mine as f (f.id)}
			{@const rule = w.rule(f.rule)}
			{@const shown = shownBy(f)}
			<article
				class="mb-2 border border-l-4 border-line bg-sheet {g.severity === 'blocking'
					? 'border-l-brick'
					: 'border-l-ochre'} px-4 py-3"
				id={f.id}
			>
				<div class="flex items-baseline gap-3">
					<div class="min-w-0 grow">
						<p title="It proves that {FINDINGS[f.is].proves}. What helps: {FINDINGS[f.is].helps}.">
							{f.message}
						</p>
						<p class="text-sm text-quiet">
							{#if f.part.kind === 'rule'}{typeLabel(f.type)} ·
								<a class="textlink" href={w.placeOf(f)}>{rule?.name}</a>
							{:else}{f.part.kind === 'table' ? 'Reference table' : 'Definition'}{/if}
							{#if f.witness}
								· shown by {f.was ? 'a change of a' : 'a new'}
								{typeLabel(f.type).toLowerCase()} with
								{#each shown as s, i (i)}{i ? ', ' : ' '}{s.label}
									<span class="mono text-teal">{s.value}</span>{:else}
									nothing filled in{/each}
							{:else if f.certificate}· proof: {f.certificate}{/if}
						</p>
					</div>
					<a class="textlink text-sm whitespace-nowrap" href={w.placeOf(f)}
						>{f.witness ? 'Show it' : 'Open'}</a
					>
					{#if f.repair && w.canEdit}{@const repair = f.repair}<button
							class="button text-sm whitespace-nowrap"
							onclick={() => w.repair(repair)}>{repair.label}</button
						>{/if}
				</div>
			</article>
		{/each}
	{/each}
	{#if w.analysis.checked.open.length}
		<div class="mt-6 mb-1 flex items-center gap-3">
			<h2 class="text-sm whitespace-nowrap">Not analysed · {w.analysis.checked.open.length}</h2>
			<div class="ticks grow"></div>
		</div>
		<p class="text-sm text-quiet">
			What the analysis could not decide. Trials are the way to be sure of these.
		</p>
		<ul class="mt-1 text-sm">
			{#each w.analysis.checked.open as o, i (i)}
				<li class="border-b border-hairline py-1">
					<span class="text-quiet">{typeLabel(o.type)} ·</span>
					<a class="textlink" href="/write/{o.type}/{o.field}#rule-{o.rule}"
						>{w.rule(o.rule)?.name}</a
					>
					<span class="text-quiet">? {o.message}</span>
				</li>
			{/each}
		</ul>
	{/if}
	<Collapsible.Root class="mt-6 text-sm" bind:open={catalogue}>
		<Collapsible.Trigger class="flex min-h-7 items-center gap-2 font-semibold">
			<span aria-hidden="true">{catalogue ? '▾' : '▸'}</span>What is looked for · {CATALOGUE.length}
		</Collapsible.Trigger>
		<Collapsible.Content>
			<table class="grid-table mt-1">
				<thead><tr><th>Finding</th><th>What it proves</th><th>What helps</th></tr></thead>
				<tbody>
					{#each CATALOGUE as [is, f] (is)}
						{@const n = w.found.filter((x) => x.is === is).length}
						<tr>
							<td class="whitespace-nowrap"
								><span
									class={f.gravity === 'blocking' ? 'text-brick' : 'text-ochre'}
									aria-label={f.gravity}>{f.gravity === 'blocking' ? '●' : '▲'}</span
								>
								{is}{#if n}<span class="mono text-quiet"> · {n}</span>{/if}</td
							>
							<td>{f.proves}</td>
							<td>{f.helps}</td>
						</tr>
					{/each}
				</tbody>
			</table>
		</Collapsible.Content>
	</Collapsible.Root>
</div>
