<script lang="ts">
	/** What a change that is only tried would come to, rule by rule, with why. */
	import { Popover } from 'bits-ui';
	import type { ClaimReport, Format, JsonValue } from '$core';
	import { reason, ruleOf, toJson } from '$core';
	import Elsewhere from '../sample/Elsewhere.svelte';
	import Why from '../sample/Why.svelte';
	import { formatValue } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';
	import type { Entry } from './entry.svelte';

	let { entry, type }: { entry: Entry; type: string } = $props();
	const w = useWorkbench();
	const format: Format = (ref, v) => {
		const f = w.schema.field(ref.type, ref.field);
		if (v === null) return 'blank';
		return f ? formatValue(f, toJson(v), w.schema, w.titles.all) : String(v);
	};
	const say = (field: string, v: JsonValue) =>
		formatValue(w.schema.field(type, field)!, v, w.schema, w.titles.all) || 'blank';
	const label = (field: string) => w.schema.field(type, field)?.label ?? '';
	const reports = $derived(entry.live ? (entry.result?.reports ?? []) : []);
	const wrote = $derived(
		(entry.live ? (entry.result?.changes ?? []) : []).filter((c) => c.claim !== null)
	);
	/** Rules that were set off, or could have been, and wrote nothing. */
	const quiet = $derived(
		reports.filter(
			(r) =>
				!wrote.some((c) => c.claim === r.claim) &&
				entry.plan.claims.has(r.claim) &&
				r.outcome !== 'not triggered'
		)
	);
	const rest = $derived(
		reports.filter((r) => r.outcome === 'not triggered' && entry.plan.claims.has(r.claim))
	);
	const blocking = $derived(
		entry.live ? (entry.result?.messages ?? []).filter((m) => m.blocking) : []
	);
	const sends = $derived(entry.live ? (entry.result?.sends ?? []) : []);
	let all = $state(false);
	const report = (claim: string | null) => reports.find((r) => r.claim === claim);
</script>

{#snippet why(r: ClaimReport)}
	<Popover.Root>
		<Popover.Trigger class="textlink" aria-label="Why: {ruleOf(entry.plan, r.claim)?.name ?? ''}"
			>Why</Popover.Trigger
		>
		<Popover.Portal>
			<Popover.Content
				sideOffset={4}
				class="z-50 max-h-96 w-96 overflow-auto border border-ink bg-sheet p-4"
				><Why report={r} {format} plan={entry.plan} /></Popover.Content
			>
		</Popover.Portal>
	</Popover.Root>
{/snippet}

<section class="mb-3 border border-line bg-sheet px-4 py-2" aria-label="What would happen">
	<h2>What would happen</h2>
	{#if !entry.live}<p class="text-sm text-quiet">
			Change a value above: what the rules in force would make of it stands here. Nothing is stored.
		</p>
	{:else}
		{#each blocking as m, n (n)}
			<p class="text-sm">
				<span class="text-brick">● The change would be refused:</span>
				{m.text} <span class="text-quiet">by “{ruleOf(entry.plan, m.claim)?.name}”</span>
			</p>
		{/each}
		<ul class="text-sm" data-testid="what-if">
			{#each wrote as c (c.field)}
				{@const r = report(c.claim)}
				<li class="flex flex-wrap items-baseline gap-x-2 border-b border-hairline py-1">
					<strong class="font-semibold">{label(c.field)}</strong>
					<span class="mono"
						><s class="text-quiet">{say(c.field, toJson(c.from))}</s> →
						<span class="text-brass-ink">{say(c.field, toJson(c.to))}</span></span
					>
					{#if r}<span
							>because {reason(entry.plan, r, format)}, by “{ruleOf(entry.plan, c.claim!)
								?.name}”</span
						>{@render why(r)}{/if}
				</li>
			{:else}<li class="text-quiet">No rule would write anything in this record.</li>{/each}
			{#each quiet as r (r.claim)}
				<li class="flex flex-wrap items-baseline gap-x-2 border-b border-hairline py-1">
					<span class="text-quiet">{label(r.field)}: nothing,</span>
					<span>{reason(entry.plan, r, format)}, by “{ruleOf(entry.plan, r.claim)?.name}”</span>
					{@render why(r)}
				</li>
			{/each}
			{#if all}{#each rest as r (r.claim)}
					<li class="flex flex-wrap items-baseline gap-x-2 border-b border-hairline py-1">
						<span class="text-quiet">{label(r.field)}: not set going,</span>
						<span>{reason(entry.plan, r, format)}, by “{ruleOf(entry.plan, r.claim)?.name}”</span>
					</li>
				{/each}{/if}
		</ul>
		{#if sends.length}<p class="text-sm">
				{sends.length} message{sends.length === 1 ? '' : 's'} would leave.
			</p>{/if}
		{#if rest.length}<button
				type="button"
				class="textlink text-sm"
				aria-expanded={all}
				onclick={() => (all = !all)}
				>{all ? 'Only those that it concerns' : `${rest.length} more rules, not set going`}</button
			>{/if}
		<Elsewhere records={entry.elsewhere} putOff={entry.putOff} />
		{#if w.near.trouble}
			<p class="mt-2 bg-ochre-wash px-3 py-2 text-sm" role="status">
				<span class="text-ochre">▲ not known yet</span> Related records could not be fetched: {w
					.near.trouble} It is tried again by itself.
			</p>
		{/if}
	{/if}
</section>
