<script lang="ts">
	/** What one rule did, record by record, newest first. */
	import type { JsonValue } from '$core';
	import { ENTRY_LABEL, MESSAGES, sheetOf } from '$core';
	import { formatMoment, formatValue } from '$lib/words/format';
	import { OUTCOME_LABEL } from '$lib/words/outcomes';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, params } = $props();
	const w = useWorkbench();
	const rule = $derived(w.force.set.rules.find((r) => r.id === params.rule) ?? w.rule(params.rule));
	const say = (type: string, field: string | null, v: JsonValue) => {
		const f = field && w.schema.field(type, field);
		return f ? formatValue(f, v, w.schema, w.titles.all) || 'blank' : '';
	};
	const at = (page: number, quiet = data.quiet) =>
		`?${new URLSearchParams({ page: String(page), ...(quiet ? {} : { quiet: 'no' }) })}`;
	const tone: Record<string, string> = {
		set: 'text-brass-ink font-semibold',
		sent: 'text-brass-ink font-semibold',
		failed: 'text-brick',
		'set aside': 'text-ochre'
	};
</script>

<svelte:head><title>{rule?.name ?? 'Journal'} · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<p class="text-sm"><a class="textlink" href="/journal">Journal of the rules</a></p>
	<div class="flex items-baseline gap-4">
		<h1 class="text-xl">{rule?.name ?? 'A rule that is no longer there'}</h1>
		{#if rule}<a class="textlink" href="/write/{rule.type}/{sheetOf(rule)}#rule-{rule.id}"
				>Open the rule</a
			>{/if}
		<span class="ml-auto text-sm"
			><a class="textlink" href={at(0, !data.quiet)}
				>{data.quiet ? 'Hide where it did nothing' : 'Show where it did nothing, too'}</a
			></span
		>
	</div>
	<div class="ticks mt-2"></div>
	<table class="grid-table text-sm">
		<thead
			><tr
				><th>When</th><th>By</th><th>Record</th><th>Field</th><th>What</th><th>From → to</th><th
					>Because</th
				></tr
			></thead
		>
		<tbody>
			{#each data.lines as l, i (i)}
				<tr>
					<td class="whitespace-nowrap">{formatMoment(l.at, w.model.zone)}</td>
					<td class="whitespace-nowrap"
						>{l.who ?? ''}
						<span class="text-xs text-quiet"
							>{ENTRY_LABEL[l.entryPoint]}{l.release ? `, v${l.release}` : ''}</span
						></td
					>
					<td
						><a class="textlink" href="/records/{l.type}/{l.record}"
							>{w.titles.all[`${l.type}.${l.record}`] ?? `No. ${l.record}`}</a
						></td
					>
					<td>{l.field && l.field !== MESSAGES ? w.schema.field(l.type, l.field)?.label : ''}</td>
					<td class="whitespace-nowrap {tone[l.outcome] ?? 'text-quiet'}"
						>{OUTCOME_LABEL[l.outcome] ?? l.outcome}</td
					>
					<td class="mono"
						>{#if l.outcome === 'set'}<s class="text-quiet">{say(l.type, l.field, l.was)}</s> → {say(
								l.type,
								l.field,
								l.now
							)}{:else if l.outcome === 'sent'}{String(
								l.now
							)}{:else if l.outcome === 'set aside'}{say(l.type, l.field, l.now)}{/if}</td
					>
					<td>{l.because ?? ''}</td>
				</tr>
			{:else}
				<tr><td colspan="7" class="text-quiet">It has done nothing yet.</td></tr>
			{/each}
		</tbody>
	</table>
	{#if data.page || data.more}
		<p class="mt-2 flex gap-4 text-sm">
			{#if data.page}<a class="textlink" href={at(data.page - 1)}>Newer</a>{/if}
			{#if data.more}<a class="textlink" href={at(data.page + 1)}>Older</a>{/if}
		</p>
	{/if}
</div>
