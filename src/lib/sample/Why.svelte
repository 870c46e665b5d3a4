<script lang="ts">
	/** The full explanation of what one rule did in a change. */
	import type { ClaimReport, Format, Plan } from '$core';
	import type { Expr } from '$core';
	import { reason, sayCondition } from '$core';
	import { viewOf } from '../kinds';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		report,
		format,
		plan
	}: {
		report: ClaimReport;
		format: Format;
		/** By which it was settled; without it, the one that is shown. */
		plan?: Plan;
	} = $props();
	const w = useWorkbench();
	const by = $derived(plan ?? w.shown.plan);
	const claim = $derived(
		by.claims.get(report.claim) ??
			by.validators.get(report.claim) ??
			by.messages.find((m) => m.id === report.claim)
	);
	const Evidence = $derived(claim && viewOf(claim.rule.body).evidence);
	const WHEN = { settled: '', was: ' before', sent: ' as sent' };
	const words = (e: Expr) => sayCondition(e, w.schema, w.sayValue);
	const label = (type: string, field: string) => w.schema.field(type, field)?.label ?? field;
</script>

{#if claim}
	<h3 class="font-semibold">{claim.rule.name}</h3>
	<p class="text-sm text-quiet">{claim.rule.why}</p>
	<p class="mt-2">
		<strong class="font-semibold"
			>{report.outcome === 'wrote'
				? 'Wrote'
				: report.outcome === 'cleared'
					? 'Cleared'
					: report.outcome === 'same value'
						? 'Had nothing to do'
						: 'Did nothing'}</strong
		>:
		{reason(by, report, format)}.
	</p>
	{#if report.guard?.length}
		<h4 class="mt-3 text-xs font-semibold text-quiet">Condition</h4>
		{#each report.guard as g, i (i)}
			<p class="text-sm">
				<span class={g.result === true ? 'text-teal' : 'text-brick'}
					>{g.result === true
						? '✓ holds'
						: g.result === false
							? '✕ does not hold'
							: '? unknown'}</span
				>
				<span class="font-medium">{words(g.expr)}</span>
				{#if g.values.length}<span class="block pl-4 text-quiet"
						>{g.values
							.map((v) => `${label(v.type, v.field)}${WHEN[v.image]}: ${format(v, v.value)}`)
							.join(', ')}</span
					>{/if}
			</p>
		{/each}
	{/if}
	{#if report.branches?.length}
		<h4 class="mt-3 text-xs font-semibold text-quiet">It chose by</h4>
		{#each report.branches as g, i (i)}
			<p class="text-sm">
				<span class={g.result === true ? 'text-teal' : 'text-quiet'}
					>{g.result === true ? '✓ so' : g.result === false ? '✕ not so' : '? unknown'}</span
				>
				<span class="font-medium">{words(g.expr)}</span>
			</p>
		{/each}
	{/if}
	{#each report.counted ?? [] as c, i (i)}
		{@const of = w.schema.type(c.type).type}
		<h4 class="mt-3 text-xs font-semibold text-quiet">
			It looked at {c.n}
			{(c.n === 1 ? of.label : of.plural).toLowerCase()}
		</h4>
		<p class="text-sm">
			{#each c.ids as id, k (id)}{k ? ', ' : ''}<a class="textlink" href="/records/{c.type}/{id}"
					>{w.titles.all[`${c.type}.${id}`] ?? `No. ${id}`}</a
				>{/each}{c.n > c.ids.length ? ` and ${c.n - c.ids.length} more` : ''}
		</p>
	{/each}
	{#if report.reads?.length}
		<h4 class="mt-3 text-xs font-semibold text-quiet">It read</h4>
		<ul class="text-sm">
			{#each report.reads as r, n (n)}
				<li>
					{label(r.type, r.field)}{WHEN[r.image]}:
					<span class="mono text-teal">{format(r, r.value)}</span>
				</li>
			{/each}
		</ul>
	{/if}
	{#if Evidence}
		<Evidence rule={claim.rule} body={claim.rule.body} field={claim.field} {report} {format} />
	{/if}
	<a
		class="textlink mt-2 text-sm"
		href="/write/{claim.rule.type}/{claim.field.id}#rule-{claim.rule.id}">Open the rule</a
	>
{/if}
