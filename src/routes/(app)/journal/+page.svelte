<script lang="ts">
	/** For every rule how often it wrote, did nothing and failed, and the way to where. */
	import { sheetOf } from '$core';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { OUTCOME_LABEL } from '$lib/words/outcomes';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const PERIOD: Record<number, string> = { 1: 'a day', 7: 'a week', 30: '30 days', 365: 'a year' };
	const quiet = (q: Record<string, number>) => Object.values(q).reduce((a, b) => a + b, 0);
	const ruleOf = (id: string) => w.force.set.rules.find((r) => r.id === id) ?? w.rule(id);
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
</script>

<svelte:head><title>Journal · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
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
	<p class="text-quiet">
		What the rules in force did to records, whoever changed them by whichever road. A rule that ran
		and wrote nothing says why.
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
	<table class="grid-table text-sm">
		<thead
			><tr
				><th>Rule</th><th class="num">Wrote</th><th></th><th class="num">Sent</th><th class="num"
					>Did nothing</th
				><th>Because</th><th class="num">Set aside</th><th class="num">Failed</th><th>Last</th></tr
			></thead
		>
		<tbody>
			{#each data.tallies as t (t.rule)}
				{@const rule = ruleOf(t.rule)}
				<tr>
					<td
						><a class="textlink" href="/journal/{t.rule}">{rule?.name ?? t.name}</a>
						<span class="text-xs text-quiet">{rule ? w.schema.type(rule.type).type.label : ''}</span
						></td
					>
					<td class="num mono">{formatCount(t.wrote)}</td>
					<td class="w-24"
						><span
							class="inline-block h-2 bg-band-4 align-middle"
							style:width="{Math.round((80 * (t.wrote + t.sent)) / most)}px"
						></span></td
					>
					<td class="num mono">{t.sent ? formatCount(t.sent) : ''}</td>
					<td class="num mono">{formatCount(quiet(t.quiet))}</td>
					<td class="text-quiet">{why(t.quiet)}</td>
					<td class="num mono {t.setAside ? 'text-ochre' : ''}"
						>{t.setAside ? `▲ ${formatCount(t.setAside)}` : ''}</td
					>
					<td class="num mono {t.failed ? 'text-brick' : ''}"
						>{t.failed ? `● ${formatCount(t.failed)}` : ''}</td
					>
					<td class="whitespace-nowrap">{t.last ? formatMoment(t.last, w.model.zone) : ''}</td>
				</tr>
			{:else}
				<tr
					><td colspan="9" class="text-quiet"
						>No record was changed in this time. Change one under <a
							class="textlink"
							href="/records/customer">Records</a
						>, and the rules that ran are told here.</td
					></tr
				>
			{/each}
		</tbody>
	</table>
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

<style>
	.num {
		text-align: right;
	}
</style>
