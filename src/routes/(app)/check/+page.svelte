<script lang="ts">
	import type { Finding } from '$core/check/findings';
	import { formatValue } from '$lib/format';
	import { useWorkbench } from '$lib/workbench.svelte';

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
	const LOOKED_FOR = [
		[
			'Cannot be read',
			'formulas, definitions and cells that do not fit; fields that read each other in a circle'
		],
		[
			'Undecided',
			'numbers no band takes, combinations no row takes, options nobody mapped or that are retired, keys a table lacks, blanks'
		],
		[
			'Decided twice',
			'rows that share a combination, two rows for one key, a match that can find several'
		],
		[
			'Without effect',
			'conditions that never or always hold, rules that give nothing or are always outranked, rows that never get their turn, checks that refuse each other'
		],
		[
			'Values that go wrong',
			'failures, spaces too many, results that change again, amounts of different currencies, values that go stale, updates that are undone, entry points left out'
		],
		['From history', 'values that people keep setting otherwise']
	];
</script>

<svelte:head><title>Check · Rigid Rule</title></svelte:head>

<div class="max-w-4xl px-6 pt-3 pb-10">
	<div class="flex items-baseline gap-3">
		<h1 class="text-xl">Check</h1>
		{#if w.checking && w.analysed}<span class="text-sm text-quiet" role="status"
				>looking at the last edit …</span
			>{/if}
	</div>
	<p class="mb-3 text-quiet">
		{#if !w.analysed}The {w.draft.rules.length} rules of the draft are being looked at …
		{:else if !w.found.length}Nothing wrong was found in the {w.draft.rules.length} rules of the draft.
		{:else}{w.found.length} finding{w.found.length > 1 ? 's' : ''} in {w.draft.rules.length} rules, {blocking ||
				'none'} of them blocking. Where a record stands below, it was run through the draft and shows
			it.{/if}
	</p>
	{#if w.analysisFailed}
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
						<p>{f.message}</p>
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
	{#if w.checked.open.length}
		<div class="mt-6 mb-1 flex items-center gap-3">
			<h2 class="text-sm whitespace-nowrap">Not analysed · {w.checked.open.length}</h2>
			<div class="ticks grow"></div>
		</div>
		<p class="text-sm text-quiet">
			What the analysis could not decide. Trials are the way to be sure of these.
		</p>
		<ul class="mt-1 text-sm">
			{#each w.checked.open as o, i (i)}
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
	<details class="mt-6 text-sm">
		<summary class="cursor-pointer font-semibold">What is looked for</summary>
		<dl class="mt-1">
			{#each LOOKED_FOR as [name, what] (name)}
				<div class="flex gap-3 border-b border-hairline py-1">
					<dt class="w-40 shrink-0">{name}</dt>
					<dd class="text-quiet">{what}</dd>
				</div>
			{/each}
		</dl>
	</details>
</div>
