<script lang="ts">
	/** The journal line by line: of one rule or of all, by field, person, road, day and what came of it. */
	import type { JsonValue } from '$core';
	import { ROAD_LABEL, ROADS, MESSAGES, sheetOf, type Road } from '$core';
	import { goto } from '$app/navigation';
	import { ALL_RULES, journalFile, journalHref, type JournalAsked } from '$door/journal';
	import Days from '$lib/journal/Days.svelte';
	import Choose from '$lib/inputs/Choose.svelte';
	import DaysBetween from '$lib/inputs/DaysBetween.svelte';
	import { LENGTHS, periodOf } from '$lib/rehearse/period';
	import { formatMoment, formatValue } from '$lib/words/format';
	import { fieldThen } from '../../../../runtime/past';
	import { sayOutcome } from '../../../../runtime/outcomes';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import { copyLink } from '$lib/work/copy-link';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const { asked } = $derived(data);
	const rule = $derived(
		asked.rule === null
			? undefined
			: (w.force.set.rules.find((r) => r.id === asked.rule) ?? w.rule(asked.rule))
	);
	const lines = $derived(data.lines ?? []);
	$effect.pre(() => w.titles.learn(data.links));
	/** The field of a line as it was at that time. */
	const then = (l: Line) =>
		l.field === null
			? undefined
			: fieldThen(
					w.schema.types.has(l.type) ? w.schema.field(l.type, l.field) : undefined,
					data.past,
					{ type: l.type, field: l.field },
					l.at
				);
	const say = (l: Line, v: JsonValue) => {
		const f = then(l);
		return f ? formatValue(f, v, w.schema, w.titles.all) || 'blank' : '';
	};
	const tone: Record<string, string> = {
		set: 'text-brass-ink font-semibold',
		sent: 'text-brass-ink font-semibold',
		failed: 'text-brick',
		refused: 'text-brick',
		'set aside': 'text-ochre'
	};
	type Line = NonNullable<typeof data.lines>[number];
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
	const ruleId = (l: Line) => l.claim?.split(':')[0] ?? null;
	/** Where a rule did nothing its name is not kept. */
	const ruleName = (l: Line) => {
		const id = ruleId(l);
		if (l.ruleName || !id) return l.ruleName;
		return (w.force.set.rules.find((r) => r.id === id) ?? w.rule(id))?.name ?? id;
	};
	const columns = $derived<GridColumn<Line>[]>([
		{
			id: 'when',
			label: 'When',
			value: (l) => l.at,
			text: (l) => formatMoment(l.at, w.model.zone),
			width: 132
		},
		{
			id: 'by',
			label: 'By',
			value: (l) => `${l.who ?? ''} ${ROAD_LABEL[l.entryPoint]}`.trim(),
			width: 118
		},
		{ id: 'record', label: 'Record', value: recordOf, width: 136 },
		{ id: 'field', label: 'Field', value: fieldOf, width: 100, pick: true },
		{ id: 'what', label: 'What', value: sayOutcome, width: 84, pick: true },
		{ id: 'moved', label: 'From → to', value: (l) => moved(l) || null, width: 132 },
		...(asked.rule === null
			? [
					{
						id: 'rule',
						label: 'Rule',
						value: ruleName,
						width: 112,
						pick: true
					} satisfies GridColumn<Line>
				]
			: []),
		{ id: 'because', label: 'Because', value: (l) => l.because, width: 140, grow: true }
	]);

	// what is asked ----------------------------------------------------------------------------
	const to = (more: Partial<JournalAsked>) => journalHref({ ...asked, ...more });
	const go = (more: Partial<JournalAsked>) =>
		void goto(to({ change: null, ...more }), { keepFocus: true, noScroll: true });
	const pageHref = (page: number) => `${to({})}${to({}).includes('?') ? '&' : '?'}page=${page}`;
	const rules = $derived([
		{ value: ALL_RULES, label: 'every rule, and people' },
		...[
			...w.force.set.rules,
			...w.draft.rules.filter((r) => !w.force.set.rules.some((f) => f.id === r.id))
		]
			.map((r) => ({ value: r.id, label: r.name }))
			.sort((a, b) => a.label.localeCompare(b.label)),
		// one that is gone still has its journal
		...(asked.rule !== null && !rule
			? [{ value: asked.rule, label: lines[0]?.ruleName ?? asked.rule }]
			: [])
	]);
	const fields = $derived([
		{ value: '', label: 'any field' },
		...w.model.types.flatMap((t) =>
			t.fields
				.filter((f) => !rule || rule.outputs.some((o) => rule.type === t.id && o.field === f.id))
				.map((f) => ({ value: `${t.id}.${f.id}`, label: `${t.label} › ${f.label}` }))
		)
	]);
	const people = $derived([
		{ value: '', label: 'anybody' },
		...data.people.map((p) => ({ value: p.id, label: p.retired ? `${p.name} (retired)` : p.name }))
	]);
	const roads = [
		{ value: '', label: 'any road' },
		...ROADS.map((e) => ({ value: e, label: ROAD_LABEL[e] }))
	];
	const length = $derived(
		asked.from && asked.to === data.today
			? LENGTHS.find((n) => periodOf(data.today, n).from === asked.from)
			: undefined
	);
	const certain = $derived(
		asked.from && asked.to && !length ? { from: asked.from, to: asked.to } : null
	);
	const periods = [
		{ value: '', label: 'at any time' },
		...LENGTHS.map((n) => ({ value: String(n), label: `in the last ${n} days` })),
		{ value: 'days', label: 'from one day to another' }
	];
	const pickPeriod = (v: string) =>
		go(v === '' ? { from: null, to: null } : periodOf(data.today, v === 'days' ? 14 : Number(v)));
</script>

<svelte:head><title>{rule?.name ?? 'Journal'} · Rigid Rule</title></svelte:head>

<div class="flex h-full flex-col px-6 pt-3 pb-3 text-sm">
	<p class="text-sm"><a class="textlink" href="/journal">Journal of the rules</a></p>
	<div class="flex items-baseline gap-4">
		<h1 class="text-xl">
			{asked.rule === null
				? 'Line by line'
				: (rule?.name ?? lines[0]?.ruleName ?? 'A rule that is no longer there')}
		</h1>
		{#if rule}<a class="textlink" href="/write/{rule.type}/{sheetOf(rule)}#rule-{rule.id}"
				>Open the rule</a
			>{/if}
		{#if asked.change}<span
				>in one change · <a class="textlink" href={to({ change: null })}>everything it did</a> ·
				<button class="textlink" onclick={() => void copyLink()}>copy the link</button></span
			>{/if}
	</div>
	<div class="mt-1 flex flex-wrap items-center gap-2" role="group" aria-label="Which lines">
		<Choose
			label="Of which rule"
			class="w-52"
			value={asked.rule ?? ALL_RULES}
			choices={rules}
			onpick={(v) => go({ rule: v === ALL_RULES ? null : v, field: null })}
		/>
		<Choose
			label="At which field"
			class="w-44"
			value={asked.field ? `${asked.field.type}.${asked.field.field}` : ''}
			choices={fields}
			onpick={(v) => {
				const [type, field] = v.split('.');
				go({ field: v ? { type, field } : null });
			}}
		/>
		<Choose
			label="By whom"
			class="w-36"
			value={asked.by ?? ''}
			choices={people}
			onpick={(v) => go({ by: v || null })}
		/>
		<Choose
			label="By which road"
			class="w-40"
			value={asked.road ?? ''}
			choices={roads}
			onpick={(v) => go({ road: (v || null) as Road | null })}
		/>
		<Choose
			label="When"
			class="w-48"
			value={certain ? 'days' : length ? String(length) : ''}
			choices={periods}
			onpick={pickPeriod}
		/>
		{#if certain}
			<DaysBetween value={certain} onchange={go} />
		{/if}
		<a class="textlink" href={journalFile(asked)} download>all of these as CSV</a>
	</div>
	<div class="mt-2">
		{#if data.days}<Days
				days={data.days}
				first={data.counts.first}
				last={data.counts.last}
				picked={asked.what}
				href={(what) => to({ what })}
			/>
		{:else if data.counts.asked}<p class="text-quiet">
				Counting these by the day takes too long. Ask for fewer days.
			</p>{/if}
	</div>
	<div class="ticks mt-1"></div>
	{#if data.lines === null}<p class="mt-2" role="alert">
			▲ Finding these takes too long. Ask for fewer days, or for one rule.
		</p>{:else}
		<Grid
			label="What it did, record by record"
			rows={lines}
			{columns}
			key={(_, at) => String(at)}
			remember={asked.rule === null ? 'journal of all' : 'journal of a rule'}
		>
			{#snippet cell(l, c)}
				{#if c.id === 'when'}
					{#if l.change}<a
							class="textlink"
							href={to({ change: l.change })}
							title="This change alone; the link can be sent to others"
							>{formatMoment(l.at, w.model.zone)}</a
						>{:else}{formatMoment(l.at, w.model.zone)}{/if}
				{:else if c.id === 'by'}{l.who ?? ''}
					<span class="text-xs text-quiet"
						>{ROAD_LABEL[l.entryPoint]}{#if l.release && l.entryPoint !== 'model'}, {#if ruleId(l)}<a
									class="textlink min-h-0"
									href="/paper/{l.release}#rule-{ruleId(l)}"
									title="The rule as it was in release {l.release}">v{l.release}</a
								>{:else}v{l.release}{/if}{/if}</span
					>
				{:else if c.id === 'record' && l.record === null}<span class="text-quiet"
						>{recordOf(l)}, not made</span
					>
				{:else if c.id === 'record'}<a class="textlink" href="/records/{l.type}/{l.record}"
						>{recordOf(l)}</a
					>
				{:else if c.id === 'field'}{fieldOf(l)}
				{:else if c.id === 'what'}<span
						class={l.claim === null ? '' : (tone[l.outcome] ?? 'text-quiet')}>{sayOutcome(l)}</span
					>
				{:else if c.id === 'moved'}<span class="mono"
						>{#if l.outcome === 'set'}<s class="text-quiet">{say(l, l.was)}</s> → {say(
								l,
								l.now
							)}{:else}{moved(l)}{/if}</span
					>
				{:else if c.id === 'rule'}{#if ruleId(l)}<a
							class="textlink"
							href={to({ rule: ruleId(l), field: null })}>{ruleName(l)}</a
						>{/if}
				{:else}{l.because ?? ''}{/if}
			{/snippet}
			{#snippet empty()}Nothing of this happened.{/snippet}
		</Grid>
	{/if}
	{#if data.knownFrom && data.lines && !data.more}<p class="mt-2 text-ochre">
			▲ History is kept from {formatMoment(data.knownFrom, w.model.zone)} on: what happened before that
			is not told here.
		</p>{/if}
	{#if data.page || data.more}
		<p class="mt-2 flex gap-4 text-sm">
			{#if data.page}<a class="textlink" href={pageHref(data.page - 1)}>Newer</a>{/if}
			{#if data.more}<a class="textlink" href={pageHref(data.page + 1)}>Older</a>{/if}
		</p>
	{/if}
</div>
