<script lang="ts">
	import { page } from '$app/state';
	import { untrack } from 'svelte';
	import { goto } from '$app/navigation';
	import type { Trial } from '$core';
	import { ENTRY_LABEL, expectingWhatCame, runTrial, sayExpectation, sayGot, stepsOf } from '$core';
	import Grid from '$lib/grid/Grid.svelte';
	import type { GridColumn } from '$lib/grid/columns';
	import SearchPick from '$lib/inputs/SearchPick.svelte';
	import { tell } from '$lib/shell/notices';
	import Strength from '$lib/trials/Strength.svelte';
	import TrialEditor from '$lib/trials/TrialEditor.svelte';
	import Remarks from '$lib/work/Remarks.svelte';
	import Untried from '$lib/trials/Untried.svelte';
	import { emptyTrial, sayChange, sayExpected, trialWords, wordsOf } from '$lib/trials/words';
	import { copyLink } from '$lib/work/copy-link';
	import { offerFile, writeCells } from '$lib/work/csv';
	import { trialsToCells } from '$lib/trials/csv';
	import { readTrials } from '$lib/trials/files';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import { andList } from '$lib/words/format';
	import { zones } from '../../../runtime/zones';

	const w = useWorkbench();
	const words = $derived(trialWords(w));
	const VIEWS = [
		{ id: '', label: 'Trials' },
		{ id: 'untried', label: 'Untried' },
		{ id: 'strength', label: 'Strength' }
	];
	const view = $derived(page.url.searchParams.get('view') ?? '');
	let only = $state<'all' | 'failing'>('all');
	let open = $state<string | null>(null);
	$effect(() => {
		const hash = page.url.hash.slice(1);
		if (hash) open = hash;
	});
	/** One that is being written and not kept yet. */
	let fresh = $state.raw<Trial | null>(null);
	/** The one that is open, as it was when it was last there: it stays where somebody takes it away. */
	let opened = $state.raw<Trial | null>(null);
	/** The one that was taken away here. */
	let removed = $state<string | null>(null);
	$effect(() => {
		const there = w.trials.all.find((t) => t.id === open);
		const before = untrack(() => opened);
		opened = there ?? (before?.id === open ? before : null);
	});
	const gone = $derived(
		opened &&
			w.trials.known &&
			![fresh?.id, removed].includes(opened.id) &&
			!w.trials.all.some((t) => t.id === opened!.id)
			? opened
			: null
	);
	const failing = $derived(w.trials.all.filter((t) => w.trials.outcomes.get(t.id)?.held === false));
	const listed = $derived([
		// once it is kept it stands among the others
		...(fresh && !w.trials.all.some((t) => t.id === fresh!.id) ? [fresh] : []),
		...(gone ? [gone] : []),
		...(only === 'failing'
			? failing
			: [...failing, ...w.trials.all.filter((t) => !failing.includes(t))])
	]);
	const outcome = (t: Trial) => w.trials.outcomes.get(t.id);
	const changes = (t: Trial) =>
		stepsOf(t)
			.map((s) => sayChange(t.type, s, wordsOf(t, words)))
			.join('; then ') + (t.rows?.length ? ` · ${t.rows.length} rows` : '');
	const expected = (t: Trial) =>
		stepsOf(t)
			.map((s) => sayExpected(t.type, s.expect, wordsOf(t, words)))
			.filter(Boolean)
			.join('; ') || (t.rows?.length ? 'by row' : '');
	const got = (t: Trial) => {
		const o = outcome(t);
		if (!o) return '';
		if (o.fault) return o.fault;
		const wrong = o.lines.filter((l) => !l.held);
		if (!wrong.length) return 'as expected';
		const [first] = wrong;
		const row = first.row === undefined ? '' : `row ${first.row + 1}: `;
		const more = wrong.length > 1 ? `, and ${wrong.length - 1} more` : '';
		return `${row}${sayGot(t.type, first, words)}${more}`;
	};
	const where = (t: Trial) =>
		`${w.schema.types.get(t.type)?.type.label}${t.was === null ? ', new' : ''} · ${ENTRY_LABEL[t.entryPoint]}`;
	/** Groups with how many of theirs hold. */
	const groups = $derived.by(() => {
		const out = new Map<string, { held: number; of: number }>();
		for (const t of w.trials.all) {
			if (!t.group) continue;
			const g = out.get(t.group) ?? { held: 0, of: 0 };
			out.set(t.group, { held: g.held + Number(outcome(t)?.held ?? false), of: g.of + 1 });
		}
		return out;
	});
	const columns = $derived<GridColumn<Trial>[]>([
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
		...(groups.size
			? [
					{
						id: 'group',
						label: 'Group',
						value: (t: Trial) => t.group ?? null,
						width: 130,
						pick: true
					}
				]
			: []),
		{ id: 'change', label: 'Change', value: (t) => changes(t) || null, width: 230, grow: true },
		{
			id: 'expected',
			label: 'Expected',
			value: (t) => expected(t) || null,
			width: 210,
			grow: true
		},
		{ id: 'got', label: 'Got', value: (t) => got(t) || null, width: 160 }
	]);
	const byOthers = $derived(w.trials.all.filter((t) => outcome(t)?.otherwise).length);
	/** Rows of living tables that a trial keeps, and that are others today. */
	const otherRows = (tables: readonly string[]) =>
		`by rows of ${andList(tables.map((id) => `“${w.schema.tables.get(id)?.label ?? id}”`))} that are others today`;
	/** What it expects stays; it reads the rows that stand. */
	async function rowsOfToday(t: Trial) {
		const { finds: _, ...rest } = t;
		const trouble = await w.trials.keep(rest, t);
		tell(trouble ?? `“${t.name}” goes by today’s rows.`);
	}
	async function expectNow(t: Trial) {
		const r = runTrial(w.plan, t, zones);
		const trouble = await w.trials.keep(expectingWhatCame(t, r.lines), t);
		tell(trouble ?? `“${t.name}” expects what the draft gives now.`);
	}
	async function keep(t: Trial, had: Trial | null): Promise<string | null> {
		const trouble = await w.trials.keep(t, had);
		if (trouble) return trouble;
		if (fresh?.id === t.id) {
			fresh = null;
			open = null;
		}
		tell(`Kept the trial “${t.name}”.`);
		return null;
	}
	async function remove(t: Trial) {
		removed = t.id;
		const trouble = await w.trials.drop(t);
		if (trouble) {
			removed = null;
			tell(trouble);
		} else
			tell(`Removed “${t.name}”.`, {
				label: 'Put it back',
				async do() {
					const against = await w.trials.keep(t, null);
					if (against) tell(against);
					// from here on somebody else may take it away
					else removed = null;
				}
			});
	}
	function begin(type: string) {
		fresh = emptyTrial(w.schema, type, new Date().toISOString(), w.account.person);
		open = fresh.id;
	}
	const types = () =>
		w.model.types.map((t) => ({ id: t.id, label: `A trial of a ${t.label.toLowerCase()}` }));
	function take(t: Trial) {
		open = open === t.id ? null : t.id;
	}
	let trouble = $state<string | null>(null);
	async function bringIn(e: Event) {
		const input = e.currentTarget as HTMLInputElement;
		const file = input.files?.[0];
		if (!file) return;
		trouble = null;
		const read = readTrials(await file.text(), file.name, w.schema, new Date().toISOString());
		if (read.ok) {
			trouble = await w.trials.keepAll(read.trials);
			if (!trouble) tell(`${read.trials.length} trials from ${file.name}.`);
		} else trouble = read.message;
		input.value = '';
	}
	function sendCells() {
		const { all } = w.trials;
		const cells = trialsToCells(all, w.schema);
		offerFile('trials.csv', writeCells(cells), 'text/csv');
		const left = all.length - (cells.length - 1);
		if (left) tell(`${left} of ${all.length} trials say more than a line holds: they go by JSON.`);
	}
	const sendOut = () =>
		offerFile('trials.json', JSON.stringify(w.trials.all, null, '\t'), 'application/json');
</script>

<svelte:head><title>Try · Rigid Rule</title></svelte:head>

<div class="flex h-full flex-col px-6 pt-3 pb-3 text-sm">
	<div class="flex flex-wrap items-baseline gap-x-4">
		<h1 class="text-xl">Try</h1>
		<nav class="flex gap-4" aria-label="What is looked at">
			{#each VIEWS as v (v.id)}
				<a
					class="textlink"
					class:here={view === v.id}
					aria-current={view === v.id ? 'page' : undefined}
					href={v.id ? `/try?view=${v.id}` : '/try'}>{v.label}</a
				>
			{/each}
		</nav>
		<p class="grow text-base text-quiet" role="status">
			{#if w.trials.trouble}<span class="text-brick"
					>● The trials could not be run: {w.trials.trouble} Their outcome is unknown.</span
				><button class="textlink pl-2" onclick={() => w.trials.run()}>Run them again</button>
			{:else if !w.trials.known}… {w.trials.count} trials are being fetched.
			{:else if !w.trials.count}There are no trials yet. Open a field, change the sample and keep
				what you see as a trial; or take what is proposed under Untried.
			{:else}{w.trials.held} of {w.trials.all.length} trials hold in the draft{w.trials.running
					? ', running …'
					: ''}. At every edit those that it can touch run again.{#if byOthers}
					<span class="text-ochre">▲ {byOthers} by rows of tables that are others today.</span
					>{/if}{/if}
		</p>
	</div>
	<div class="ticks mt-3"></div>
	<!-- until they are here there is nothing to be said of them, not that there are none -->
	{#if !w.trials.known}<!-- said above -->
	{:else if view === 'untried'}<Untried />
	{:else if view === 'strength'}<Strength />
	{:else}
		<div class="flex flex-wrap items-center gap-x-5 gap-y-1 py-1">
			{#if w.canEdit}
				<SearchPick text="A new trial" label="A new trial" choices={types} onpick={begin} />
				<label class="textlink cursor-pointer"
					>From a file <input
						type="file"
						accept=".json,.csv,application/json,text/csv"
						class="sr-only"
						onchange={(e) => void bringIn(e)}
					/></label
				>
			{/if}
			{#if w.trials.count}<button class="textlink" onclick={sendOut}>To a file</button>
				<button class="textlink" onclick={sendCells}>As CSV</button>{/if}
			<label
				><input
					type="checkbox"
					checked={only === 'failing'}
					onchange={(e) => (only = e.currentTarget.checked ? 'failing' : 'all')}
				/> only those that fail</label
			>
			{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}
			{#each [...groups].filter(([, g]) => g.held < g.of) as [name, g] (name)}
				<span class="text-ochre">▲ {name}: {g.held} of {g.of} hold</span>
			{/each}
		</div>
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
						onclick={() => take(t)}>{t.name || 'A new trial'}</button
					>
					<div class="text-xs text-quiet">{where(t)}</div>
				{:else if c.id === 'group'}{t.group ?? ''}
				{:else if c.id === 'change'}<span class="text-teal">{changes(t)}</span>
				{:else if c.id === 'expected'}{#each stepsOf(t) as s, i (i)}{#each s.expect as x, k (k)}{i +
							k
								? '; '
								: ''}{sayExpectation(t.type, x, words)}{/each}{/each}{t.rows?.length
						? ' by row'
						: ''}
				{:else if o?.fault}<span class="text-brick">{o.fault}</span>
				{:else if o && !o.held}<span class="text-brick">{got(t)}</span>
				{:else if o}<span class="text-quiet">as expected</span>{/if}
				{#if c.id === 'got' && o?.otherwise}<span class="block text-xs text-ochre"
						>▲ {otherRows(o.otherwise)}</span
					>{/if}
			{/snippet}
			{#snippet detail(t)}
				{#if open === t.id}
					<tr>
						<td role="gridcell"></td>
						<td role="gridcell" colspan={columns.length - 1} class="opened bg-panel">
							<TrialEditor
								trial={t}
								fresh={fresh?.id === t.id}
								gone={gone?.id === t.id}
								onkeep={keep}
								onclose={() => {
									open = null;
									if (fresh?.id === t.id) fresh = null;
									if (page.url.hash)
										void goto(page.url.pathname, { noScroll: true, keepFocus: true });
								}}
							/>
							{#if fresh?.id !== t.id && gone?.id !== t.id}
								<Remarks
									class="mt-2"
									at={{ kind: 'trial', key: t.id }}
									title={t.name || 'A trial'}
								/>
								<div class="mt-2 flex gap-4 border-t border-hairline pt-1">
									<button class="textlink" onclick={() => void copyLink(`/try#${t.id}`)}
										>Copy the link</button
									>
									{#if w.canEdit}
										{#if outcome(t)?.held === false && !outcome(t)?.fault}<button
												class="textlink"
												onclick={() => void expectNow(t)}
												>The rule is right: expect what the draft gives now</button
											>{/if}
										{#if outcome(t)?.otherwise}<button
												class="textlink"
												onclick={() => void rowsOfToday(t)}>Go by today’s rows</button
											>{/if}
										<button class="textlink" onclick={() => void remove(t)}
											>Remove this trial</button
										>
									{/if}
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
	.here {
		font-weight: 600;
		text-decoration-thickness: 2px;
	}
</style>
