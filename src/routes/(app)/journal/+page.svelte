<script lang="ts">
	/** For every rule how often it wrote, did nothing and failed, and the way to where. */
	import { sheetOf } from '$core';
	import { ALL_RULES } from '$door/journal';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { OUTCOME_LABEL } from '../../../runtime/outcomes';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const PERIOD: Record<number, string> = { 1: 'a day', 7: 'a week', 30: '30 days', 365: 'a year' };
	const quiet = (q: Record<string, number>) => Object.values(q).reduce((a, b) => a + b, 0);
	const ruleOf = (id: string) => w.ruleInForce(id) ?? w.rule(id);
	/** Rules in force that did not run at all. */
	const idle = $derived(
		w.force.set.rules.filter((r) => !r.off && !data.tallies.some((t) => t.rule === r.id))
	);
	const most = $derived(Math.max(1, ...data.tallies.map((t) => t.wrote + t.sent)));
	const why = (q: Record<string, number>) =>
		Object.entries(q)
			.sort((a, b) => b[1] - a[1])
			.slice(0, 3)
			.map(([o, n]) => `${OUTCOME_LABEL[o] ?? o} ${formatCount(n)}`)
			.join(' · ');
	type Tally = (typeof data.tallies)[number];
	const typeOf = (t: Tally) => {
		const rule = ruleOf(t.rule);
		return rule ? w.schema.type(rule.type).type.label : '';
	};
	const column = (id: string, label: string, value: (t: Tally) => number, width = 78) => ({
		id,
		label,
		value,
		width,
		numeric: true
	});
	const columns: GridColumn<Tally>[] = [
		{
			id: 'rule',
			label: 'Rule',
			value: (t) => ruleOf(t.rule)?.name ?? t.name,
			width: 176,
			grow: true
		},
		{ id: 'type', label: 'Of', value: typeOf, width: 90, pick: true },
		column('wrote', 'Wrote', (t) => t.wrote, 112),
		column('sent', 'Sent', (t) => t.sent, 50),
		column('quiet', 'Did nothing', (t) => quiet(t.quiet), 90),
		{ id: 'because', label: 'Because', value: (t) => why(t.quiet) || null, width: 120, grow: true },
		column('aside', 'Set aside', (t) => t.setAside, 76),
		column('refused', 'Refused', (t) => t.refused, 72),
		column('failed', 'Failed', (t) => t.failed, 64),
		{
			id: 'last',
			label: 'Last',
			value: (t) => t.last,
			text: (t) => (t.last ? formatMoment(t.last, w.model.zone) : ''),
			width: 146
		}
	];
</script>

<svelte:head><title>Journal · Rigid Rule</title></svelte:head>

<div class="flex h-full flex-col px-6 pt-3 pb-3 text-sm">
	<div class="flex items-baseline gap-4">
		<h1 class="text-xl">Journal of the rules</h1>
		<nav class="flex gap-3 text-sm" aria-label="Period">
			{#each data.choices as d (d)}<a
					class="textlink"
					class:font-semibold={data.days === d}
					aria-current={data.days === d ? 'true' : undefined}
					href="?days={d}">{PERIOD[d]}</a
				>{/each}
		</nav>
	</div>
	<p class="text-base text-quiet">
		<a class="textlink" href="/journal/{ALL_RULES}">Line by line</a>, with what people entered. What
		the rules in force did to records, whoever changed them by whichever road. A rule that ran and
		wrote nothing says why.
	</p>
	{#each data.waiting.counts as c (c.type)}
		<p class="mt-2 bg-ochre-wash px-4 py-2 text-sm" role="status">
			<span class="text-ochre">▲ Pending:</span>
			{formatCount(c.n)}
			{(c.n === 1
				? w.schema.type(c.type).type.label
				: w.schema.type(c.type).type.plural
			).toLowerCase()}
			still to be settled after changes elsewhere.
		</p>
	{/each}
	{#if data.waiting.stuck}<p class="mt-2 bg-brick-wash px-4 py-2 text-sm" role="alert">
			<span class="text-brick">●</span>
			{formatCount(data.waiting.stuck)} of them could not be settled after several attempts; the log of
			the server says why.
		</p>{/if}
	<div class="ticks mt-2"></div>
	<Grid
		label="What each rule did"
		rows={data.tallies}
		{columns}
		key={(t) => t.rule}
		remember="journal"
	>
		{#snippet cell(t, c)}
			{#if c.id === 'rule'}<a class="textlink" href="/journal/{t.rule}"
					>{ruleOf(t.rule)?.name ?? t.name}</a
				>
			{:else if c.id === 'type'}{typeOf(t)}
			{:else if c.id === 'wrote'}<span
					class="mr-2 inline-block h-2 bg-band-4 align-middle"
					style:width="{Math.round((60 * (t.wrote + t.sent)) / most)}px"
				></span><span class="mono">{formatCount(t.wrote)}</span>
			{:else if c.id === 'sent'}<span class="mono">{t.sent ? formatCount(t.sent) : ''}</span>
			{:else if c.id === 'quiet'}<span class="mono">{formatCount(quiet(t.quiet))}</span>
			{:else if c.id === 'because'}<span class="text-quiet">{why(t.quiet)}</span>
			{:else if c.id === 'aside'}<span class="mono text-ochre"
					>{t.setAside ? `▲ ${formatCount(t.setAside)}` : ''}</span
				>
			{:else if c.id === 'refused'}<span class="mono text-brick"
					>{t.refused ? `● ${formatCount(t.refused)}` : ''}</span
				>
			{:else if c.id === 'failed'}<span class="mono text-brick"
					>{t.failed ? `● ${formatCount(t.failed)}` : ''}</span
				>
			{:else}{t.last ? formatMoment(t.last, w.model.zone) : ''}{/if}
		{/snippet}
		{#snippet empty()}
			No record was changed in this time. Change one under <a class="textlink" href="/records"
				>Records</a
			>, and the rules that ran are told here.
		{/snippet}
	</Grid>
	{#if data.tallies.length && idle.length}
		<p class="mt-3 text-sm">
			<span class="text-quiet">In force, and did not run:</span>
			{#each idle as r, i (r.id)}{i ? ' · ' : ' '}<a
					class="textlink"
					href="/write/{r.type}/{sheetOf(r)}#rule-{r.id}">{r.name}</a
				>{/each}
		</p>
	{/if}
</div>
