<script lang="ts">
	/** The full explanation of what one rule did in a change. */
	import { refKey } from '$core/model/model';
	import { ANY } from '$core/feel/types';
	import { bandText, readFormula } from '$core/plan/plan';
	import { readCell } from '$core/tables/decision';
	import { reason, type Format } from '$core/settle/reason';
	import type { ClaimReport } from '$core/settle/settle';
	import { useWorkbench } from './workbench.svelte';

	let { report, format }: { report: ClaimReport; format: Format } = $props();
	const w = useWorkbench();
	const claim = $derived(
		w.shown.plan.claims.get(report.claim) ??
			w.shown.plan.validators.get(report.claim) ??
			w.shown.plan.messages.find((m) => m.id === report.claim)
	);
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
		{reason(w.shown.plan, report, format)}.
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
				<span class="mono">{g.text}</span>
				{#if g.values.length}<span class="block pl-4 text-quiet"
						>{g.values
							.map((v) => `${label(v.type, v.field)}: ${format(v, v.value)}`)
							.join(', ')}</span
					>{/if}
			</p>
		{/each}
	{/if}
	{#if report.reads?.length}
		<h4 class="mt-3 text-xs font-semibold text-quiet">It read</h4>
		<ul class="text-sm">
			{#each report.reads as r (r.image + refKey(r.type, r.field))}
				<li>
					{label(r.type, r.field)}{{ settled: '', was: ' before', sent: ' as sent' }[r.image]}:
					<span class="mono text-teal">{format(r, r.value)}</span>
				</li>
			{/each}
		</ul>
	{/if}
	{#if claim.rule.body.kind === 'bands' && report.reads?.length}
		{@const body = claim.rule.body}
		<h4 class="mt-3 text-xs font-semibold text-quiet">Bands</h4>
		<ul class="mono text-sm">
			{#each body.results as r, k (k)}
				<li class={report.row === k ? 'font-semibold text-brass-ink' : 'text-quiet'}>
					{report.row === k ? '▸' : '\u00a0'}
					{bandText(body.limits, k)}
					{r ? format({ type: claim.rule.type, field: claim.field.id }, r[0] as string) : 'no band'}
				</li>
			{/each}
			<li class={report.row === 'blank' ? 'font-semibold text-brass-ink' : 'text-quiet'}>
				{report.row === 'blank' ? '▸' : '\u00a0'} blank
			</li>
		</ul>
	{/if}
	{#if claim.rule.body.kind === 'table' && report.table}
		{@const body = claim.rule.body}
		<h4 class="mt-3 text-xs font-semibold text-quiet">Rows</h4>
		<ul class="mono max-h-60 overflow-auto text-sm">
			{#each report.table.rows.slice(0, 200) as r (r.row)}
				<li class={r.cell === null ? 'font-semibold text-brass-ink' : 'text-quiet'}>
					{r.cell === null ? '▸' : '\u00a0'}
					{r.row + 1}
					{#if r.cell === null}matches{:else}{r.unknown ? 'cannot tell:' : 'fails:'}
						{readFormula(body.inputs[r.cell], { schema: w.schema, type: claim.rule.type }).text}
						{readCell(body.rows[r.row]?.when[r.cell] ?? { text: '-' }, ANY, {
							schema: w.schema,
							type: claim.rule.type
						}).text}{/if}
				</li>
			{/each}
		</ul>
	{/if}
	<a
		class="textlink mt-2 text-sm"
		href="/write/{claim.rule.type}/{claim.field.id}#rule-{claim.rule.id}">Open the rule</a
	>
{/if}
