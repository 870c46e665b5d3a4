<script lang="ts">
	import { Collapsible } from 'bits-ui';
	import type { Finding } from '$core';
	import { FINDINGS, mayBeAccepted } from '$core';
	import Doubles from '$lib/record/Doubles.svelte';
	import Accept from '$lib/rule/Accept.svelte';
	import { tell } from '$lib/shell/notices';
	import { Refused, ask } from '$lib/work/http';
	import { formatMoment, formatValue } from '$lib/words/format';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import { copyLink } from '$lib/work/copy-link';
	import Remarks from '$lib/work/Remarks.svelte';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	const w = useWorkbench();
	const GRAVITY = {
		blocking: { sign: '●', label: 'blocks', tone: 'text-brick' },
		advisory: { sign: '▲', label: 'advice', tone: 'text-ochre' }
	} as const;
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
	const PART = {
		table: 'Reference table',
		definition: 'Definition',
		type: 'Forms',
		trial: 'Trial'
	} as const;
	const partName = (f: Finding) => w.nameOf(f);
	const of = (f: Finding) => (f.part.kind === 'rule' ? typeLabel(f.type) : PART[f.part.kind]);
	const columns: GridColumn<Finding>[] = [
		{
			id: 'gravity',
			label: 'Gravity',
			// what blocks comes first
			value: (f) => (f.severity === 'blocking' ? 0 : 1),
			text: (f) => GRAVITY[f.severity].label,
			pick: true,
			width: 84
		},
		{
			id: 'where',
			label: 'Where',
			value: partName,
			text: (f) => `${partName(f)} ${of(f)}`,
			width: 190
		},
		{ id: 'is', label: 'Finding', value: (f) => f.is, pick: true, width: 130 },
		{
			id: 'what',
			label: 'What was found',
			value: (f) => f.message,
			text: (f) =>
				`${f.message} ${shownBy(f)
					.map((s) => `${s.label} ${s.value}`)
					.join(' ')}`,
			width: 360,
			grow: true
		},
		{ id: 'do', label: 'What to do', value: () => null, plain: true, width: 160 }
	];
	const all = $derived([
		...w.found.filter((f) => f.severity === 'blocking'),
		...w.found.filter((f) => f.severity !== 'blocking')
	]);
	/** The finding that is about to be accepted. */
	let accepting = $state.raw<Finding | null>(null);
	let trouble = $state<string | null>(null);
	let heading: HTMLElement | undefined = $state();
	async function takeBack(f: Finding) {
		trouble = null;
		try {
			await w.flush();
			await ask('/draft/accepted', { method: 'DELETE', body: { finding: f.id } });
			await w.reload();
			tell('It is a finding again.');
			heading?.focus();
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; it stays accepted.' : e.message;
		}
	}
	const CATALOGUE = Object.entries(FINDINGS);
	let catalogue = $state(false);
</script>

<svelte:head><title>Check · Rigid Rule</title></svelte:head>

<div class="max-w-6xl px-6 pt-3 pb-10 text-sm">
	<div class="flex items-baseline gap-3">
		<h1 class="text-xl" tabindex="-1" bind:this={heading}>Check</h1>
		{#if w.analysis.checking && w.analysis.analysed}<span class="text-sm text-quiet" role="status"
				>looking at the last edit …</span
			>{/if}
	</div>
	<p class="mb-1 text-base text-quiet">
		{#if !w.analysis.analysed}The {w.draft.rules.length} rules of the draft are being looked at …
		{:else if !w.found.length}Nothing wrong was found in the {w.draft.rules.length} rules of the draft{#if w.accepted.length},
				but for what is accepted below{/if}.
		{:else}{w.found.length} finding{w.found.length > 1 ? 's' : ''} in {w.draft.rules.length} rules, {blocking ||
				'none'} of them blocking. Where a record stands below, it was run through the draft and shows
			it.{/if}
	</p>
	{#if w.analysis.failed}
		<p class="mb-3 bg-brick-wash px-4 py-2" role="alert">
			<span class="text-brick">● The analysis broke off</span> at the last edit, so nothing below speaks
			of it. The sample and the trials go on working; undo the edit, or try another.
		</p>
	{/if}
	{#if w.found.length}
		<Grid label="Findings" rows={all} {columns} key={(f) => f.id} remember="findings">
			{#snippet cell(f, c)}
				{@const g = GRAVITY[f.severity]}
				{#if c.id === 'gravity'}<span class="font-semibold whitespace-nowrap {g.tone}"
						>{g.sign} {g.label}</span
					>
				{:else if c.id === 'where'}
					<a class="textlink" href={w.placeOf(f)}>{partName(f)}</a>
					<div class="text-xs text-quiet">{of(f)}</div>
				{:else if c.id === 'is'}<span
						title="It proves that {FINDINGS[f.is].proves}. What helps: {FINDINGS[f.is].helps}."
						>{f.is}</span
					>
				{:else if c.id === 'what'}
					{@const shown = shownBy(f)}
					<p>{f.message}</p>
					<p class="text-quiet">
						{#if f.witness}
							shown by {f.was ? 'a change of a' : 'a new'}
							{typeLabel(f.type).toLowerCase()} with
							{#each shown as s, i (i)}{i ? ', ' : ' '}{s.label}
								<span class="mono text-teal">{s.value}</span>{:else}
								nothing filled in{/each}
						{:else if f.certificate}proof: {f.certificate}{/if}
					</p>
					<Remarks at={{ kind: 'finding', key: f.id }} title={`${partName(f)}: ${f.is}`} />
					{#if w.inherited.has(f.id)}<p class="text-quiet">
							Release {w.force.number} has it too, and nothing touched it since.
						</p>{/if}
					{#if f.accepted}<p class="text-ochre">
							▲ {f.accepted.by} accepted it on {formatMoment(f.accepted.at, w.model.zone)}: “{f
								.accepted.reason}”. What it rests on has changed since.
						</p>{/if}
				{:else}
					<span class="flex flex-col items-start gap-1">
						<button
							class="textlink"
							aria-label="Copy the link to the finding at {partName(f)}"
							onclick={() => void copyLink(f.witness ? w.shownAt(f) : w.placeOf(f))}
							>Copy the link</button
						>
						{#if f.witness}<a class="textlink" href={w.shownAt(f)}>Show it</a>{/if}
						{#if f.part.kind === 'table' || !f.witness}<a class="textlink" href={w.placeOf(f)}
								>{f.part.row === undefined ? 'Open' : `Open row ${f.part.row + 1}`}</a
							>{/if}
						{#if f.repair?.do === 'add table row'}<a
								class="textlink"
								href="/tables/{f.repair.table}">Open the table</a
							>{/if}
						{#if f.repair && w.canEdit}{@const repair = f.repair}<button
								class="textlink text-left"
								onclick={() => w.repair(repair)}>{repair.label}</button
							>{/if}
						{#if w.canEdit && mayBeAccepted(f)}
							{#if w.mayAccept(f)}<button class="textlink text-left" onclick={() => (accepting = f)}
									>Accept …</button
								>
							{:else}<span class="text-xs text-quiet">An administrator may accept it.</span>{/if}
						{/if}
					</span>
				{/if}
			{/snippet}
		</Grid>
	{/if}
	{#if trouble}<p class="mt-2 text-brick" role="alert">● {trouble}</p>{/if}
	{#if w.accepted.length}
		<div class="mt-6 mb-1 flex items-center gap-3">
			<h2 class="text-sm whitespace-nowrap">Accepted · {w.accepted.length}</h2>
			<div class="ticks grow"></div>
		</div>
		<p class="text-sm text-quiet">
			Taken as they are, by whom and why. They stop no release, and are told again once what they
			rest on changes.
		</p>
		<ul class="mt-1 text-sm" data-testid="accepted">
			{#each w.accepted as f (f.id)}
				<li class="flex items-start gap-4 border-b border-hairline py-1">
					<span class="grow">
						<span class={GRAVITY[f.severity].tone}>{GRAVITY[f.severity].sign}</span>
						<a class="textlink" href={w.placeOf(f)}>{partName(f)}</a>
						<span class="text-quiet">·</span>
						{f.message}
						<span class="block text-quiet"
							>“{f.accepted!.reason}” · {f.accepted!.by}, {formatMoment(
								f.accepted!.at,
								w.model.zone
							)}</span
						>
					</span>
					{#if w.canEdit}<button class="textlink whitespace-nowrap" onclick={() => takeBack(f)}
							>Take back</button
						>{/if}
				</li>
			{/each}
		</ul>
	{/if}
	{#if w.analysis.checked.open.length}
		<div class="mt-6 mb-1 flex items-center gap-3">
			<h2 class="text-sm whitespace-nowrap">Not analysed · {w.analysis.checked.open.length}</h2>
			<div class="ticks grow"></div>
		</div>
		<p class="text-sm text-quiet">
			What the analysis could not decide. Trials are the way to be sure of these.
		</p>
		<ul class="mt-1 text-sm">
			{#each w.analysis.checked.open as o, i (i)}
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
	<Doubles />
	<Accept
		finding={accepting}
		onclose={(done) => {
			accepting = null;
			// the row that was asked from is gone
			if (done) heading?.focus();
		}}
	/>
	<Collapsible.Root class="mt-6 text-sm" bind:open={catalogue}>
		<Collapsible.Trigger class="flex min-h-7 items-center gap-2 font-semibold">
			<span aria-hidden="true">{catalogue ? '▾' : '▸'}</span>What is looked for · {CATALOGUE.length}
		</Collapsible.Trigger>
		<Collapsible.Content>
			<table class="grid-table mt-1">
				<thead><tr><th>Finding</th><th>What it proves</th><th>What helps</th></tr></thead>
				<tbody>
					{#each CATALOGUE as [is, f] (is)}
						{@const n = w.found.filter((x) => x.is === is).length}
						<tr>
							<td class="whitespace-nowrap"
								><span
									class={f.gravity === 'blocking' ? 'text-brick' : 'text-ochre'}
									aria-label={f.gravity}>{f.gravity === 'blocking' ? '●' : '▲'}</span
								>
								{is}{#if n}<span class="mono text-quiet"> · {n}</span>{/if}</td
							>
							<td>{f.proves}</td>
							<td>{f.helps}</td>
						</tr>
					{/each}
				</tbody>
			</table>
		</Collapsible.Content>
	</Collapsible.Root>
</div>
