<script lang="ts">
	/** A pilot: a release that decides some records first. Started, watched day by day, widened, and ended. */
	import { page } from '$app/state';
	import { ENTRY_LABEL, MESSAGES, sayCondition, type Formula, type PilotChoice } from '$core';
	import { readFormula } from '$core/feel/language';
	import Choosing from '$lib/pilot/Choosing.svelte';
	import Days from '$lib/pilot/Days.svelte';
	import { choiceOf, unfinished, type Writing } from '$lib/pilot/choice';
	import Choose from '$lib/inputs/Choose.svelte';
	import { EVERYTHING, listQuery } from '$door/lists';
	import type { Lasting } from '$server/db/pilot';
	import { tell } from '$lib/shell/notices';
	import { Refused, ask } from '$lib/work/http';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import { andList, dayIn, formatCount, formatMoment, formatValue } from '$lib/words/format';

	const w = useWorkbench();
	let { data } = $props();
	const { on, shown } = $derived(data);
	const may = $derived(w.may('release'));
	const plural = (type: string) => w.schema.types.get(type)?.type.plural ?? type;

	// ---- what is started, or widened ------------------------------------------------------------

	const EMPTY: Writing = { chosen: [], brought: null };
	let writing = $state.raw<Writing | null>(null);
	const choice = $derived(writing ?? EMPTY);
	const others = $derived(data.releases.filter((r) => r.number !== w.force.number));
	const named = $derived(Number(page.url.searchParams.get('release')));
	let picked = $state<number | null>(null);
	const release = $derived(
		picked ?? others.find((r) => r.number === named)?.number ?? others[0]?.number ?? null
	);
	let why = $state('');
	let busy = $state(false);
	let trouble = $state<string | null>(null);
	/** What was counted, and of what. */
	let counted = $state.raw<{ members: Record<string, number>; of: string } | null>(null);
	const now = $derived(JSON.stringify([on?.release ?? release, choice]));
	const open = $derived(unfinished(choice, plural));
	const fresh = $derived(counted?.of === now ? counted.members : null);
	/** What is asked before the pilot ends. */
	let ending = $state<'withdraw' | 'take' | null>(null);

	/** What its rules did that stays. */
	let lasting = $state.raw<Lasting | null>(null);
	async function askToEnd(how: 'withdraw' | 'take') {
		ending = how;
		lasting = null;
		lasting = await step<Lasting>({ step: 'lasting', pilot: on!.id });
	}

	const sayMembers = (m: Record<string, number>) => {
		const some = Object.entries(m).filter(([, n]) => n);
		return some.length
			? andList(some.map(([t, n]) => `${formatCount(n)} ${plural(t).toLowerCase()}`))
			: 'no record that exists';
	};

	async function step<T>(body: object): Promise<T | null> {
		busy = true;
		trouble = null;
		try {
			return await ask<T>('/pilots', { method: 'POST', body });
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; nothing was done.' : e.message;
			return null;
		} finally {
			busy = false;
		}
	}
	async function look() {
		const of = now;
		const r = await step<{ members: Record<string, number> }>({
			step: 'look',
			release: on?.release ?? release,
			choice: choiceOf(choice)
		});
		if (r) counted = { members: r.members, of };
	}
	async function begin() {
		const r = await step<{ members: Record<string, number> }>(
			on
				? { step: 'widen', pilot: on.id, version: on.version, choice: choiceOf(choice) }
				: { step: 'start', release, choice: choiceOf(choice), why: why.trim() }
		);
		if (!r) return;
		tell(
			on
				? `Widened: ${sayMembers(r.members)} came to it.`
				: `Release ${release} decides ${sayMembers(r.members)} now, and what comes to them.`
		);
		writing = counted = null;
		why = '';
		await w.reload();
	}
	async function end(how: 'withdraw' | 'take') {
		const r = await step<{ release: number }>({ step: how, pilot: on!.id, why: why.trim() });
		ending = null;
		if (!r) return;
		tell(
			how === 'take'
				? `Release ${r.release} is in force for all records.`
				: `Withdrawn: release ${r.release} decides all records again.`
		);
		why = '';
		await w.reload();
	}

	// ---- what is chosen, in words -----------------------------------------------------------------

	function sayFormula(type: string, f: Formula): string {
		if (!w.schema.types.has(type)) return 'a record type that is gone';
		const expr = readFormula(f, { schema: w.schema, type }).compiled?.expr;
		return expr ? sayCondition(expr, w.schema, w.sayValue) : 'text' in f ? f.text : '';
	}
	const nameOf = (id: string) => data.people.find((p) => p.id === id)?.name ?? 'somebody';
	const sayBrought = (b: NonNullable<PilotChoice['brought']>) =>
		`every record that ${b.accounts ? andList(b.accounts.map(nameOf), 'or') : 'anybody'} changes or makes through ${
			b.roads
				? andList(
						b.roads.map((r) => `the ${ENTRY_LABEL[r]}`),
						'or'
					)
				: 'any road'
		}`;

	// ---- what was decided differently -------------------------------------------------------------

	function at(next: Record<string, string | null>) {
		const q = new URLSearchParams(page.url.searchParams);
		q.delete('release');
		for (const [k, v] of Object.entries(next))
			if (v === null) q.delete(k);
			else q.set(k, v);
		return `?${q.toString()}`;
	}
	const label = (type: string, field: string | null) =>
		`${w.schema.types.get(type)?.type.label ?? type}: ${field === null ? '' : field === MESSAGES ? 'messages' : (w.schema.field(type, field)?.label ?? field)}`;
	interface Sum {
		type: string;
		field: string | null;
		/** How often, by what was decided differently. */
		n: Record<(typeof data.days)[number]['kind'], number>;
	}
	const total = ({ n }: Sum) => Object.values(n).reduce((a, b) => a + b, 0);
	const sums = $derived.by(() => {
		const out = new Map<string, Sum>();
		for (const d of data.days) {
			if (data.day && d.day !== data.day) continue;
			const key = `${d.type}.${d.field ?? ''}`;
			const s = out.get(key) ?? {
				type: d.type,
				field: d.field,
				n: { value: 0, refused: 0, 'let through': 0, sent: 0, unsent: 0 }
			};
			s.n[d.kind] += d.n;
			out.set(key, s);
		}
		return [...out.values()].sort((a, b) => total(b) - total(a));
	});
	const keyOf = (s: { type: string; field: string | null }) => `${s.type}.${s.field ?? ''}`;
	const sayValue = (type: string, field: string | null, v: (typeof data.rows)[number]['gave']) => {
		const f = field === null ? undefined : w.schema.field(type, field);
		return (f ? formatValue(f, v, w.schema, data.links) : String(v ?? '')) || '—';
	};
	const first = $derived(shown ? dayIn(shown.at, w.model.zone)! : '');
	const last = $derived(shown?.ended ? dayIn(shown.ended.at, w.model.zone)! : data.today);
</script>

<svelte:head><title>Pilot · Rigid Rule</title></svelte:head>

{#snippet stays({ messages, values }: Lasting, over: boolean)}
	<p class="mt-1 text-sm">
		{#if messages.length || values.length}
			<span class="text-ochre">▲</span>
			{over ? 'It was not undone' : 'It is not undone'} that by the rules of the pilot
			{andList([
				...messages.map(
					(m) => `${formatCount(m.n)} message${m.n > 1 ? 's' : ''} left by “${m.rule}”`
				),
				...values.map(
					(v) =>
						`${formatCount(v.n)} time${v.n > 1 ? 's' : ''} ${label(v.type, v.field)} got a value from an event`
				)
			])}.
			{#if messages.length}<a class="textlink" href="/outbox">Outbox</a>{/if}
		{:else}<span class="text-quiet"
				>Nothing was done by its rules that stays: no message left, no event gave a value.</span
			>{/if}
	</p>
{/snippet}
{#snippet chosen(c: PilotChoice)}
	<ul class="mt-1">
		{#each c.chosen as s (s.type)}
			<li>{plural(s.type)} where {sayFormula(s.type, s.condition)}</li>
		{/each}
		{#if c.brought}<li>{sayBrought(c.brought)}</li>{/if}
	</ul>
{/snippet}

<div class="max-w-5xl px-6 pt-3 pb-10">
	<div class="flex flex-wrap items-baseline gap-x-4">
		<h1 class="text-xl">Pilot</h1>
		<p class="text-quiet" role="status">
			{#if on}Release {on.release} decides some records first; release {on.beside} all others.
			{:else}{w.force.number
					? `Release ${w.force.number} decides all records.`
					: 'Nothing is in force yet.'}{/if}
		</p>
	</div>

	{#if on && shown?.id === on.id}
		<section class="mt-3 border border-line bg-sheet" aria-label="The pilot that is on">
			<div class="ticks"></div>
			<div class="px-5 py-4">
				<div class="flex flex-wrap items-baseline gap-x-4">
					<h2>
						<a class="textlink" href="/release/{on.release}">Release {on.release}</a>, since {formatMoment(
							on.at,
							w.model.zone
						)}
					</h2>
					{#if on.by}<span class="text-sm text-quiet">by {on.by}{on.why ? `: ${on.why}` : ''}</span
						>{/if}
					<a class="textlink text-sm" href="/compare?before={on.beside}&after={on.release}"
						>What it says otherwise</a
					>
				</div>
				<p class="mt-2">
					To it belong <span data-testid="members">{sayMembers(on.members)}</span>:
				</p>
				{@render chosen(on.choice)}
				<p class="mt-2 flex flex-wrap gap-x-4 text-sm">
					{#each Object.keys(on.members) as type (type)}
						<a
							class="textlink"
							href="/records/{type}?{listQuery({ ...EVERYTHING, pilot: true }).toString()}"
							>{plural(type)} of the pilot</a
						>
					{/each}
					<a class="textlink" href="/line">What is out of line</a>
				</p>
				{#if may}
					<div class="mt-3 flex flex-wrap items-center gap-3">
						{#if ending}
							<label class="flex items-center gap-2 text-sm"
								>Why<input
									class="box w-72"
									maxlength="500"
									placeholder="for those who read it later"
									bind:value={why}
								/></label
							>
							<button class="button main" disabled={busy} onclick={() => void end(ending!)}
								>{ending === 'take'
									? `Put release ${on.release} in force for all`
									: `Let release ${on.beside} decide all again`}</button
							>
							<button class="textlink" onclick={() => (ending = null)}>Not now</button>
						{:else if !writing}
							<button class="button" onclick={() => (writing = on.choice)}>Widen it …</button>
							<button class="button" onclick={() => void askToEnd('take')}
								>Put in force for all …</button
							>
							<button class="button" onclick={() => void askToEnd('withdraw')}>Withdraw it …</button
							>
						{/if}
					</div>
					{#if ending}<p class="mt-2 text-sm text-quiet">
							Nothing is written in records by that. Those that come out otherwise then are listed
							as <a class="textlink" href="/line">out of line</a>, and follow after a look.
						</p>
						{#if lasting}{@render stays(lasting, false)}{/if}{/if}
				{/if}
				{#if writing && may}
					<div class="mt-3 border-t border-hairline pt-3">
						<h3>Which records belong to it from now on</h3>
						<p class="text-sm text-quiet">None that belongs to it leaves it by this.</p>
						{@render editing()}
					</div>
				{/if}
				{#if trouble}<p class="mt-2 text-brick" role="alert">● {trouble}</p>{/if}
			</div>
		</section>
	{:else if !on && may && w.force.number}
		<section class="mt-3 border border-line bg-sheet" aria-label="Start a pilot">
			<div class="ticks"></div>
			<div class="px-5 py-4">
				{#if others.length}
					<div class="flex flex-wrap items-center gap-3">
						<h2>Let some records be decided first by</h2>
						<Choose
							value={release === null ? '' : String(release)}
							choices={others.map((r) => ({
								value: String(r.number),
								label: `release ${r.number}: ${r.note.slice(0, 60)}`
							}))}
							label="Which release"
							disabled={busy}
							onpick={(v) => (picked = Number(v))}
						/>
					</div>
					<p class="mt-1 text-sm text-quiet">
						All others stay with release {w.force.number}. A record that belongs to a pilot stays in
						it until it ends, on every road. Nothing is written in records that exist by starting
						it.
					</p>
					{@render editing()}
				{:else}<p>
						There is no other release. Make one of the draft first, without putting it in force, on
						<a class="textlink" href="/release">Release</a>.
					</p>{/if}
				{#if trouble}<p class="mt-2 text-brick" role="alert">● {trouble}</p>{/if}
			</div>
		</section>
	{/if}

	{#snippet editing()}
		<Choosing
			{choice}
			people={data.people}
			disabled={busy}
			onchange={(c) => {
				writing = c;
				trouble = null;
			}}
		/>
		<div class="mt-3 flex flex-wrap items-center gap-3">
			{#if !on}<label class="flex grow items-center gap-2 text-sm"
					>Why<input
						class="box max-w-xl min-w-40 grow"
						maxlength="500"
						placeholder="what is to be seen by it"
						bind:value={why}
					/></label
				>{/if}
			<button class="button" disabled={busy || open !== null} onclick={() => void look()}
				>Count first</button
			>
			<button
				class="button main"
				disabled={busy || open !== null || !fresh}
				onclick={() => void begin()}>{on ? 'Widen it' : 'Start the pilot'}</button
			>
			{#if on}<button class="textlink" onclick={() => (writing = null)}>Not now</button>{/if}
		</div>
		<p class="mt-1 text-sm" role="status">
			{#if fresh}<span class="text-teal">✓</span> Of those that exist it takes {sayMembers(fresh)}.
			{:else if open}<span class="text-quiet">{open}</span>
			{:else}<span class="text-quiet">Count first: how many records would it take?</span>{/if}
		</p>
	{/snippet}

	{#if shown}
		<h2 class="mt-6">
			What releases {shown.release} and {shown.beside} decided differently{shown.ended
				? `, ${shown.ended.how === 'taken' ? 'until it was put in force for all' : 'until it was withdrawn'} on ${formatMoment(shown.ended.at, w.model.zone)}`
				: ''}
		</h2>
		{#if shown.ended}<p class="text-sm text-quiet">
				{shown.ended.by ?? 'Somebody'} ended it{shown.ended.why ? `: ${shown.ended.why}` : ''}. To
				it belonged
				{sayMembers(shown.members)}.
			</p>
			{#if shown.lasting}{@render stays(shown.lasting, true)}{/if}{/if}
		<div class="ticks mt-1"></div>
		{#if data.days.length}
			<Days
				days={data.days}
				{first}
				{last}
				picked={data.day}
				href={(day) => at({ day, before: null })}
			/>
			<div class="grid gap-6" style="grid-template-columns: 300px minmax(0, 1fr)">
				<ul class="text-sm" aria-label="Of which fields">
					{#each sums as s (keyOf(s))}
						<li class="border-b border-hairline py-1">
							<a
								class="textlink"
								data-sveltekit-noscroll
								aria-current={data.of && keyOf(data.of) === keyOf(s) ? 'true' : undefined}
								class:font-semibold={data.of && keyOf(data.of) === keyOf(s)}
								href={at({ of: keyOf(s), before: null })}>{label(s.type, s.field)}</a
							>
							<span class="block text-quiet"
								>{andList(
									[
										s.n.value && `${formatCount(s.n.value)} other value${s.n.value > 1 ? 's' : ''}`,
										s.n.refused && `${formatCount(s.n.refused)} refused by the pilot alone`,
										s.n['let through'] &&
											`${formatCount(s.n['let through'])} let through by the pilot alone`,
										s.n.sent && `${formatCount(s.n.sent)} sent by the pilot alone`,
										s.n.unsent && `${formatCount(s.n.unsent)} not sent by the pilot`
									].filter((x) => typeof x === 'string')
								)}</span
							>
						</li>
					{/each}
				</ul>
				<div>
					{#if data.of}
						<table class="grid-table text-sm" aria-label="Decided differently">
							<thead
								><tr
									><th>When</th><th>Record</th><th>Release {shown.beside} gives</th><th
										>Release {shown.release} gave</th
									></tr
								></thead
							>
							<tbody>
								{#each data.rows as r (r.id)}
									<tr>
										<td class="whitespace-nowrap">{formatMoment(r.at, w.model.zone)}</td>
										<td
											>{#if r.record && r.title !== null}<a
													class="textlink"
													href="/records/{r.type}/{r.record}">{r.title}</a
												>{:else}<span class="text-quiet"
													>{r.record ? `No. ${r.record}` : 'not made'}</span
												>{/if}</td
										>
										{#if r.kind === 'value'}
											<td class="mono">{sayValue(r.type, r.field, r.beside)}</td>
											<td class="mono text-brass-ink">{sayValue(r.type, r.field, r.gave)}</td>
										{:else if r.kind === 'refused'}
											<td>lets it through</td>
											<td class="text-brick">● refused: {r.message}</td>
										{:else if r.kind === 'sent'}
											<td>sends none like it</td>
											<td class="text-brass-ink">sent {r.message}</td>
										{:else if r.kind === 'unsent'}
											<td>sends {r.message}</td>
											<td class="text-brass-ink">sent none like it</td>
										{:else}
											<td class="text-brick">● refuses: {r.message}</td>
											<td>let it through</td>
										{/if}
									</tr>
								{/each}
							</tbody>
						</table>
						{#if data.more}<a
								class="textlink text-sm"
								data-sveltekit-noscroll
								href={at({ before: data.rows.at(-1)!.id })}>Older ones</a
							>{/if}
					{:else}<p class="mt-1 text-sm text-quiet">
							Choose a field to see the records, and a day to see that day alone.
						</p>{/if}
				</div>
			</div>
		{:else}<p class="mt-1 text-quiet">
				{#if data.shown.ended}Nothing: both were asked at each change of its records, and gave the
					same.{:else}Nothing yet: at each change of its records both are asked, and what they give
					differently stands here.{/if}
			</p>{/if}
	{/if}

	{#if data.ended.length}
		<h2 class="mt-6">Pilots that ended</h2>
		<div class="ticks mt-1"></div>
		<table class="grid-table text-sm" aria-label="Pilots that ended">
			<thead
				><tr
					><th>Release</th><th>Beside</th><th>From</th><th>To</th><th>Records</th><th>Came to</th
					></tr
				></thead
			>
			<tbody>
				{#each data.ended as p (p.id)}
					<tr>
						<td class="mono"
							><a class="textlink" data-sveltekit-noscroll href="?id={p.id}">v{p.release}</a></td
						>
						<td class="mono">v{p.beside}</td>
						<td class="whitespace-nowrap">{formatMoment(p.at, w.model.zone)}</td>
						<td class="whitespace-nowrap">{formatMoment(p.ended!.at, w.model.zone)}</td>
						<td>{sayMembers(p.members)}</td>
						<td
							>{p.ended!.how === 'taken' ? 'in force for all' : 'withdrawn'}{p.ended!.why
								? `: ${p.ended!.why}`
								: ''}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
		{#if data.earlier || data.notNewest}
			<p class="mt-2 flex gap-4 text-sm">
				{#if data.notNewest}<a class="textlink" data-sveltekit-noscroll href="/pilot">The newest</a
					>{/if}
				{#if data.earlier}<a class="textlink" data-sveltekit-noscroll href="?ended={data.earlier}"
						>Earlier pilots</a
					>{/if}
			</p>
		{/if}
	{/if}
</div>
