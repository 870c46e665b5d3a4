<script lang="ts">
	/** What one rule did, record by record, newest first. */
	import type { JsonValue } from '$core';
	import { ENTRY_LABEL, MESSAGES, sheetOf } from '$core';
	import { formatMoment, formatValue } from '$lib/words/format';
	import { fieldThen } from '$lib/words/past';
	import { OUTCOME_LABEL } from '$lib/words/outcomes';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import { copyLink } from '$lib/work/copy-link';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, params } = $props();
	const w = useWorkbench();
	const rule = $derived(w.force.set.rules.find((r) => r.id === params.rule) ?? w.rule(params.rule));
	/** The field of a line as it was at that time. */
	const then = (l: (typeof data.lines)[number]) =>
		l.field === null
			? undefined
			: fieldThen(
					w.schema.field(l.type, l.field),
					data.past,
					{ type: l.type, field: l.field },
					l.at
				);
	const say = (l: (typeof data.lines)[number], v: JsonValue) => {
		const f = then(l);
		return f ? formatValue(f, v, w.schema, w.titles.all) || 'blank' : '';
	};
	const at = (page: number, quiet = data.quiet) =>
		`?${new URLSearchParams({ page: String(page), ...(quiet ? {} : { quiet: 'no' }) })}`;
	const tone: Record<string, string> = {
		set: 'text-brass-ink font-semibold',
		sent: 'text-brass-ink font-semibold',
		failed: 'text-brick',
		refused: 'text-brick',
		'set aside': 'text-ochre'
	};
	type Line = (typeof data.lines)[number];
	const recordOf = (l: Line) =>
		l.record === null
			? `a new ${w.schema.types.get(l.type)?.type.label.toLowerCase() ?? 'record'}`
			: (w.titles.all[`${l.type}.${l.record}`] ?? `No. ${l.record}`);
	const fieldOf = (l: Line) => (l.field && l.field !== MESSAGES ? (then(l)?.label ?? l.field) : '');
	const moved = (l: Line) =>
		l.outcome === 'set'
			? `${say(l, l.was)} → ${say(l, l.now)}`
			: l.outcome === 'sent'
				? String(l.now)
				: l.outcome === 'set aside'
					? say(l, l.now)
					: '';
	const columns: GridColumn<Line>[] = [
		{
			id: 'when',
			label: 'When',
			value: (l) => l.at,
			text: (l) => formatMoment(l.at, w.model.zone),
			width: 150
		},
		{
			id: 'by',
			label: 'By',
			value: (l) => `${l.who ?? ''} ${ENTRY_LABEL[l.entryPoint]}`.trim(),
			width: 140
		},
		{ id: 'record', label: 'Record', value: recordOf, width: 180 },
		{ id: 'field', label: 'Field', value: fieldOf, width: 110, pick: true },
		{
			id: 'what',
			label: 'What',
			value: (l) => OUTCOME_LABEL[l.outcome] ?? l.outcome,
			width: 120,
			pick: true
		},
		{ id: 'moved', label: 'From → to', value: (l) => moved(l) || null, width: 150 },
		{ id: 'because', label: 'Because', value: (l) => l.because, width: 200, grow: true }
	];
</script>

<svelte:head><title>{rule?.name ?? 'Journal'} · Rigid Rule</title></svelte:head>

<div class="flex h-full flex-col px-6 pt-3 pb-3 text-sm">
	<p class="text-sm"><a class="textlink" href="/journal">Journal of the rules</a></p>
	<div class="flex items-baseline gap-4">
		<h1 class="text-xl">{rule?.name ?? 'A rule that is no longer there'}</h1>
		{#if rule}<a class="textlink" href="/write/{rule.type}/{sheetOf(rule)}#rule-{rule.id}"
				>Open the rule</a
			>{/if}
		{#if data.change}<span
				>in one change · <a class="textlink" href="?">everything it did</a> ·
				<button class="textlink" onclick={() => void copyLink()}>copy the link</button></span
			>{/if}
		<span class="ml-auto text-sm"
			><a class="textlink" href={at(0, !data.quiet)}
				>{data.quiet ? 'Hide where it did nothing' : 'Show where it did nothing, too'}</a
			></span
		>
	</div>
	<div class="ticks mt-2"></div>
	<Grid
		label="What it did, record by record"
		rows={data.lines}
		{columns}
		key={(_, at) => String(at)}
		remember="journal of a rule"
	>
		{#snippet cell(l, c)}
			{#if c.id === 'when'}
				{#if l.change}<a
						class="textlink"
						href="?change={l.change}"
						title="What it did in this change alone; the link can be sent to others"
						>{formatMoment(l.at, w.model.zone)}</a
					>{:else}{formatMoment(l.at, w.model.zone)}{/if}
			{:else if c.id === 'by'}{l.who ?? ''}
				<span class="text-xs text-quiet"
					>{ENTRY_LABEL[l.entryPoint]}{l.release ? `, v${l.release}` : ''}</span
				>
			{:else if c.id === 'record' && l.record === null}<span class="text-quiet"
					>{recordOf(l)}, not made</span
				>
			{:else if c.id === 'record'}<a class="textlink" href="/records/{l.type}/{l.record}"
					>{recordOf(l)}</a
				>
			{:else if c.id === 'field'}{fieldOf(l)}
			{:else if c.id === 'what'}<span class={tone[l.outcome] ?? 'text-quiet'}
					>{OUTCOME_LABEL[l.outcome] ?? l.outcome}</span
				>
			{:else if c.id === 'moved'}<span class="mono"
					>{#if l.outcome === 'set'}<s class="text-quiet">{say(l, l.was)}</s> → {say(
							l,
							l.now
						)}{:else}{moved(l)}{/if}</span
				>
			{:else}{l.because ?? ''}{/if}
		{/snippet}
		{#snippet empty()}It has done nothing yet.{/snippet}
	</Grid>
	{#if data.page || data.more}
		<p class="mt-2 flex gap-4 text-sm">
			{#if data.page}<a class="textlink" href={at(data.page - 1)}>Newer</a>{/if}
			{#if data.more}<a class="textlink" href={at(data.page + 1)}>Older</a>{/if}
		</p>
	{/if}
</div>
