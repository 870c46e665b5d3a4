<script lang="ts">
	import { page } from '$app/state';
	import type { Trial } from '$core';
	import { ENTRY_LABEL, reason, ruleOf, runTrial } from '$core';
	import { formatDate, formatValue } from '$lib/words/format';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import { copyLink } from '$lib/work/copy-link';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import { zones } from '../../../runtime/zones';

	const w = useWorkbench();
	let only = $state<'all' | 'failing'>('all');
	let open = $state<string | null>(null);
	$effect(() => {
		const hash = page.url.hash.slice(1);
		if (hash) open = hash;
	});
	const failing = $derived(w.trials.all.filter((t) => w.trials.outcomes.get(t.id)?.held === false));
	const listed = $derived(
		only === 'failing' ? failing : [...failing, ...w.trials.all.filter((t) => !failing.includes(t))]
	);
	const say = (t: Trial, field: string, v: import('$core').JsonValue) => {
		const f = w.schema.field(t.type, field);
		return f ? formatValue(f, v, w.schema) || 'blank' : field;
	};
	const label = (t: Trial, field: string) => w.schema.field(t.type, field)?.label ?? field;
	/** The full result, with the reasons: run here for the one that is open. */
	const opened = $derived.by(() => {
		const t = w.trials.all.find((x) => x.id === open);
		return t ? runTrial(w.plan, t, zones) : null;
	});
	const outcome = (t: Trial) => w.trials.outcomes.get(t.id);
	const pairs = (t: Trial, list: readonly (readonly [string, import('$core').JsonValue])[]) =>
		list.map(([f, v]) => `${label(t, f)} ${say(t, f, v)}`).join(', ');
	const expected = (t: Trial) =>
		t.expect
			.map((e) => `${label(t, e.field)} ${e.not ? 'not ' : ''}${say(t, e.field, e.value)}`)
			.join(', ');
	const got = (t: Trial) => {
		const o = outcome(t);
		if (!o) return '';
		if (o.fault) return o.fault;
		const wrong = o.lines.filter((l) => !l.held);
		return wrong.length
			? pairs(
					t,
					wrong.map((l) => [l.field, l.got])
				)
			: 'as expected';
	};
	const where = (t: Trial) =>
		`${w.schema.types.get(t.type)?.type.label}${t.was === null ? ', new' : ''} · ${ENTRY_LABEL[t.entryPoint]}`;
	const columns: GridColumn<Trial>[] = [
		{
			id: 'result',
			label: 'Result',
			value: (t) => {
				const o = outcome(t);
				return !o ? '–' : o.held ? 'holds' : 'fails';
			},
			width: 90,
			pick: true
		},
		{
			id: 'trial',
			label: 'Trial',
			value: (t) => t.name,
			text: (t) => `${t.name} ${where(t)}`,
			width: 240,
			grow: true
		},
		{
			id: 'change',
			label: 'Change',
			value: (t) => pairs(t, t.sent) || null,
			width: 230,
			grow: true
		},
		{
			id: 'expected',
			label: 'Expected',
			value: (t) => expected(t) || null,
			width: 210,
			grow: true
		},
		{ id: 'got', label: 'Got', value: (t) => got(t) || null, width: 160 }
	];
	function expectNow(t: Trial) {
		const r = runTrial(w.plan, t, zones);
		void w.trials.keep({ ...t, expect: r.lines.map((l) => ({ field: l.field, value: l.got })) });
	}
</script>

<svelte:head><title>Try · Rigid Rule</title></svelte:head>

<div class="flex h-full flex-col px-6 pt-3 pb-3 text-sm">
	<div class="flex items-baseline gap-4">
		<h1 class="text-xl">Try</h1>
		<p class="grow text-base text-quiet" role="status">
			{#if !w.trials.known}… {w.trials.count} trials are being fetched.
			{:else if !w.trials.count}There are no trials yet. Open a field, change the sample and keep
				what you see as a trial.
			{:else}{w.trials.held} of {w.trials.all.length} trials hold in the draft{w.trials.running
					? ', running …'
					: ''}. They run again at every edit.{/if}
		</p>
		<label class="text-sm"
			><input
				type="checkbox"
				checked={only === 'failing'}
				onchange={(e) => (only = e.currentTarget.checked ? 'failing' : 'all')}
			/> only those that fail</label
		>
	</div>
	<div class="ticks mt-3"></div>
	<!-- until they are here there is nothing to be said of them, not that there are none -->
	{#if w.trials.known}
		<Grid
			label="Trials"
			rows={listed}
			{columns}
			key={(t) => t.id}
			remember="trials"
			mark={(t) => (outcome(t)?.held === false ? 'failed' : '')}
		>
			{#snippet cell(t, c)}
				{@const o = outcome(t)}
				{#if c.id === 'result'}
					{#if !o}<span class="text-quiet">–</span>{:else if o.held}<span class="text-teal"
							>✓ holds</span
						>{:else}<span class="font-semibold text-brick">✕ fails</span>{/if}
				{:else if c.id === 'trial'}
					<button
						class="textlink text-left"
						id={t.id}
						aria-expanded={open === t.id}
						onclick={() => (open = open === t.id ? null : t.id)}>{t.name}</button
					>
					<div class="text-xs text-quiet">{where(t)}</div>
				{:else if c.id === 'change'}{#each t.sent as [f, v], i (f)}{i ? ', ' : ''}{label(t, f)}
						<span class="mono text-teal">{say(t, f, v)}</span>{/each}
				{:else if c.id === 'expected'}{#each t.expect as e, i (e.field)}{i ? ', ' : ''}{label(
							t,
							e.field
						)}
						<span class="mono">{e.not ? 'not ' : ''}{say(t, e.field, e.value)}</span>{/each}
				{:else if o?.fault}<span class="text-brick">{o.fault}</span>
				{:else if o && !o.held}{#each o.lines.filter((l) => !l.held) as l, i (l.field)}{i
							? ', '
							: ''}{label(t, l.field)}
						<span class="mono text-brick">{say(t, l.field, l.got)}</span>{/each}
				{:else if o}<span class="text-quiet">as expected</span>{/if}
			{/snippet}
			{#snippet detail(t)}
				{#if open === t.id && opened}
					<tr>
						<td role="gridcell"></td>
						<td role="gridcell" colspan="4" class="opened bg-panel">
							{#each opened.lines as l (l.field)}
								<p class="pt-1">
									<a class="textlink" href="/write/{t.type}/{l.field}"
										><strong>{label(t, l.field)}</strong></a
									>: {l.held
										? 'as expected'
										: `expected ${l.not ? 'not ' : ''}${say(t, l.field, l.value)}, got ${say(t, l.field, l.got)}`}.
								</p>
								{#each l.reports as r (r.claim)}<p class="pl-4">
										“{ruleOf(w.plan, r.claim)?.name}”: {reason(w.plan, r)}.
									</p>{:else}<p class="pl-4 text-quiet">No rule writes it.</p>{/each}
							{/each}
							<p class="pt-1 text-quiet">
								Sample: {t.was === null
									? 'a new record'
									: Object.entries(t.was)
											.map(([f, v]) => `${label(t, f)} ${say(t, f, v)}`)
											.join(', ')}, on {formatDate(t.at)}.
							</p>
							<button class="textlink mr-3" onclick={() => void copyLink(`/try#${t.id}`)}
								>Copy the link</button
							>
							{#if w.canEdit}
								<div class="flex gap-4 pt-1">
									{#if !opened.held && !opened.fault}<button
											class="textlink"
											onclick={() => expectNow(t)}>Expect what the draft gives now</button
										>{/if}
									<button class="textlink" onclick={() => w.trials.drop(t.id)}
										>Remove this trial</button
									>
								</div>
							{/if}
						</td>
					</tr>
				{/if}
			{/snippet}
			{#snippet empty()}{only === 'failing' ? 'No trial fails.' : 'No trials yet.'}{/snippet}
		</Grid>
	{/if}
</div>

<style>
	:global(tr.failed) > :global(td:first-child) {
		box-shadow: inset 3px 0 0 var(--color-brick);
	}
	.opened {
		padding: 4px 10px 8px;
		border-bottom: 1px solid var(--color-hairline);
	}
</style>
