<script lang="ts">
	/** What a rehearsal tells, to choose from: surprises first, then fields, rules and what it cannot show. */
	import { ENTRY_LABEL, type Surprise } from '$core';
	import type { KeptRehearsal, RehearsalHead, RehearsalResult } from '$server/db/rehearsals';
	import { capital, formatCount, formatDate, formatMoment } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';
	import { WHY_NOT, sayAsked, sayField, saySurprise } from './words';

	let {
		result,
		shown,
		kept,
		see,
		about,
		onsee,
		onlooked
	}: {
		result: RehearsalResult;
		shown: KeptRehearsal;
		kept: readonly Omit<RehearsalHead, 'surprises' | 'looked'>[];
		/** What was chosen, and what is told of thereby. */
		see: string | null;
		about: string | null;
		onsee: (key: string) => void;
		/** Somebody looked at a surprise, or takes that back. */
		onlooked: (s: Surprise) => void;
	} = $props();

	const w = useWorkbench();
	const looked = (s: Surprise) => shown.looked[s.key] ?? null;
	const open = $derived(result.surprises.filter((s) => !looked(s)).length);
	/** A field was chosen, or nothing. */
	const plain = $derived(!see || see.startsWith('value '));
	/** Of a replay, how many of whose changes would have come out otherwise. */
	const senders = $derived([
		...(result.replay?.people ?? []).map((p) => ({
			...p,
			name: p.account === null ? 'Nobody' : (result.names[p.account] ?? 'Somebody')
		})),
		...(result.replay?.roads ?? []).map((r) => ({ ...r, name: capital(ENTRY_LABEL[r.entryPoint]) }))
	]);
	const rules = $derived.by(() => {
		const out = new Map<string, { id: string; name: string; count: number }>();
		for (const f of result.fields)
			for (const { claim, count: n } of f.by) {
				const of = claim === null ? null : result.rules[claim];
				if (!of) continue;
				const had = out.get(of.id);
				if (had) had.count += n;
				else out.set(of.id, { ...of, count: n });
			}
		return [...out.values()].sort((a, b) => b.count - a.count);
	});
</script>

<div>
	<h2 class="text-sm">
		Surprises{#if result.surprises.length}<span class="pl-2 font-normal text-quiet"
				>{open ? `${open} not looked at` : 'all looked at'}</span
			>{/if}
	</h2>
	<div class="ticks mt-1"></div>
	{#each result.surprises as s (s.key)}
		{@const told = saySurprise(w, result, s)}
		{@const at = looked(s)}
		<div
			class="flex items-start gap-2 border-b border-hairline py-1 {see === s.key ? 'bg-sheet' : ''}"
		>
			<button
				class="min-h-6 grow px-1 text-left text-sm {see === s.key ? 'font-semibold' : ''}"
				aria-pressed={see === s.key}
				onclick={() => onsee(s.key)}
				><span class={at ? 'text-quiet' : s.kind === 'refused' ? 'text-brick' : 'text-ochre'}
					>{at ? '✓' : s.kind === 'refused' ? '●' : '▲'}</span
				>
				{told.line}{#if at}<span class="block font-normal text-quiet">looked at by {at.by}</span
					>{/if}</button
			>
			{#if w.canEdit}<button
					class="textlink min-h-6 text-xs whitespace-nowrap"
					aria-label="{at ? 'Not looked at after all' : 'Looked at'}: {told.line}"
					onclick={() => onlooked(s)}>{at ? 'not yet' : 'looked at'}</button
				>{/if}
		</div>
	{:else}<p class="py-1 text-sm text-quiet">
			Nothing that the edited rules would not lead one to expect.
		</p>{/each}

	<h2 class="mt-4 text-sm">Fields</h2>
	<div class="ticks mt-1"></div>
	{#each result.fields as f (f.type + f.field)}
		{@const name = `value ${f.type}.${f.field}`}
		{@const on = plain && about === name}
		<button
			class="flex min-h-7 w-full items-center justify-between border-b border-hairline px-1 text-left text-sm {on
				? 'bg-sheet font-semibold'
				: ''}"
			aria-pressed={on}
			onclick={() => onsee(name)}
			><span>{sayField(w, `${f.type}.${f.field}`)}</span><span class="mono"
				>{formatCount(f.count)}</span
			></button
		>
	{:else}<p class="py-1 text-sm text-quiet">No value would differ.</p>{/each}
	{#if rules.length}
		<h2 class="mt-4 text-sm">Rules</h2>
		<div class="ticks mt-1"></div>
		{#each rules as r (r.id)}
			<button
				class="flex min-h-7 w-full items-center justify-between border-b border-hairline px-1 text-left text-sm {see ===
				`rule ${r.id}`
					? 'bg-sheet font-semibold'
					: ''}"
				aria-pressed={see === `rule ${r.id}`}
				onclick={() => onsee(`rule ${r.id}`)}
				><span>{r.name}</span><span class="mono">{formatCount(r.count)}</span></button
			>
		{/each}
	{/if}
	{#if result.replay}
		<h2 class="mt-4 text-sm">By whom, and by which road</h2>
		<div class="ticks mt-1"></div>
		{#each senders as x, n (n)}
			<p class="flex justify-between border-b border-hairline px-1 py-1 text-sm">
				<span>{x.name}</span>
				<span class="mono"
					>{formatCount(x.count)} <span class="text-quiet">of {formatCount(x.of)}</span></span
				>
			</p>
		{/each}
	{/if}
	{#if result.unrehearsed.length}
		<h2 class="mt-4 text-sm">Edited, and not shown here</h2>
		<div class="ticks mt-1"></div>
		{#each result.unrehearsed as u (u.rule)}
			<p class="border-b border-hairline px-1 py-1 text-sm">
				{u.name} <span class="text-quiet">{WHY_NOT[u.why]}.</span>
			</p>
		{/each}
	{/if}
	{#if kept.length > 1}
		<h2 class="mt-4 text-sm">Rehearsed before</h2>
		<div class="ticks mt-1"></div>
		{#each kept as k (k.id)}
			<a
				class="block border-b border-hairline px-1 py-1 text-sm no-underline hover:underline {k.id ===
				shown.id
					? 'bg-sheet font-semibold'
					: ''}"
				aria-current={k.id === shown.id ? 'page' : undefined}
				href="/rehearse?id={k.id}"
				>{capital(sayAsked(k))}{k.period
					? `, what was changed from ${formatDate(k.period.from)} to ${formatDate(k.period.to)}`
					: ''}{k.selection
					? `, some ${w.schema.types.get(k.selection.type)?.type.plural.toLowerCase() ?? ''}`
					: ''}
				<span class="block font-normal text-quiet"
					>{formatMoment(k.at, w.model.zone)}: {formatCount(k.records)} of {formatCount(k.of)}</span
				></a
			>
		{/each}
	{/if}
</div>
