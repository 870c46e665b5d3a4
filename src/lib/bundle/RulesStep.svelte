<script lang="ts">
	/** The rules of a bundle against the draft: what would change, on which records it hangs, and how trials come out. */
	import { onDestroy, untrack } from 'svelte';
	import { sayCame, type Compared, type Meeting, type Trial, type TrialResult } from '$core';
	import Choose from '../inputs/Choose.svelte';
	import LinkInput from '../inputs/LinkInput.svelte';
	import Parts from '../rule/Parts.svelte';
	import { andList } from '../words/format';
	import { trialWords, wordsOf } from '../trials/words';
	import { useWorkbench } from '../work/workbench.svelte';
	import type { Taking } from './taking.svelte';

	let { t, ontaken }: { t: Taking; ontaken: (said: string) => void } = $props();
	const w = useWorkbench();
	const words = $derived(trialWords(w));
	$effect(() => {
		void t.bundle;
		untrack(() => void t.lookForRecords());
	});
	// run again whenever what would be taken changes
	$effect(() => {
		void [t.plan, t.chosenTrials, w.trials.all];
		untrack(() => void t.run());
	});
	onDestroy(() => t.stop());

	const PARTS: Partial<Record<Compared['part'], string>> = {
		rule: 'Rules',
		order: 'Claim orders',
		definition: 'Definitions',
		table: 'Reference tables'
	};
	const WHAT = { new: 'new', changed: 'changes the draft', removed: '', order: 'another order' };
	const groups = $derived(
		(Object.keys(PARTS) as Compared['part'][]).flatMap((part) => {
			const of = t.compared.filter((c) => c.part === part);
			return of.length ? [{ part, of, keys: of.map(t.keyOf) }] : [];
		})
	);
	const came = (trial: Trial, r: TrialResult) =>
		r.fault ?? r.lines.map((l) => sayCame(trial.type, l, wordsOf(trial, words))).join('; ');
	const failing = $derived(t.tried.filter((x) => !x.here.held));
	const count = (what: 'new' | 'changed' | 'same') =>
		t.trials.filter((x) => x.what === what).length;
	const living = $derived(
		(t.bundle.set.tables ?? []).filter(
			(x) => x.living && !t.byKey.get(`table ${x.id}`)?.isNew && x.rows.length
		)
	);
	/** Whom the person of a change is a record of, where that is something else. */
	const people = $derived.by(() => {
		const there = t.bundle.model.personType;
		const met = there === undefined ? undefined : t.byKey.get(`type ${there}`);
		if (!met || (!met.isNew && met.here === w.model.personType)) return null;
		const here = w.schema.types.get(w.model.personType ?? '')?.type.label;
		return { there: met.label, here: here ?? 'no record type' };
	});
	const own = $derived(
		t.apart.length
			? `▲ ${t.apart.length} of this draft’s own would come out otherwise.`
			: w.trials.count
				? 'This draft’s own come out as before.'
				: ''
	);
	const stays = $derived(
		t.onlyHere === 1
			? 'The rule that only this draft has stays.'
			: t.onlyHere
				? `The ${t.onlyHere} rules that only this draft has stay.`
				: ''
	);
	const NEW = '~new';
	/** The part of which it is asked what it is in the draft. */
	let asking = $state<string | null>(null);
	/** What a part could be in the draft: a rule one of the same record type. */
	function couldBe(m: Meeting): Meeting['candidates'] {
		const of = m.part === 'rule' && t.bundle.set.rules.find((r) => r.id === m.id)?.type;
		if (!of) return m.candidates;
		const type = t.byKey.get(`type ${of}`)?.here;
		return m.candidates.filter((c) => w.rule(c.id)?.type === type);
	}
	const metBy = $derived(
		new Map(
			t.met
				.filter((m) => m.part === 'rule' || m.part === 'definition' || m.part === 'table')
				.map((m) => [`${m.part} ${m.here}`, m])
		)
	);
	const nothing = $derived(!t.chosen.size && !t.chosenTrials.length);
	const titleOf = (type: string, id: string) => w.titles.all[`${type}.${id}`] ?? '';
	async function take() {
		const said = await t.take();
		if (said) ontaken(said);
	}
</script>

<section aria-labelledby="rules-step">
	<h2 id="rules-step" class="mt-6 text-base">2 · The rules</h2>
	{#if !groups.length}
		<p class="mt-1">✓ The draft has all of them, as they are there.</p>
	{:else}
		<p class="mt-1 text-sm text-quiet">
			What is ticked goes into the draft as one step, and what it uses is ticked with it; nothing is
			in force before it is released. {stays}
		</p>
		<div class="ticks mt-1"></div>
	{/if}
	{#if t.unknown.length}
		<div class="mt-2 border-l-2 border-ochre pl-3">
			<p>
				▲ {t.unknown.length}
				{t.unknown.length === 1 ? 'record that they name is' : 'records that they name are'} not known
				here. Import them first, or choose each; where one is left open, a rule still has to be told,
				and a row of a table is blank there.
				{#each [...new Set(t.unknown.flatMap((n) => n.type ?? []))] as type (type)}
					<a class="textlink ml-2" href="/records/{type}/import"
						>Import {w.schema.type(type).type.plural.toLowerCase()}</a
					>
				{/each}
			</p>
			<ul class="mt-1 max-h-56 overflow-y-auto" aria-label="Records that are not known here">
				{#each t.named.filter((n) => n.here === null || t.picked.has(n.key)) as n (n.key)}
					<li class="flex min-h-8 flex-wrap items-center gap-x-3 text-sm">
						<span class="font-medium">{n.title}</span>
						<span class="text-quiet"
							>{n.by ?? 'without a key'}{n.type === null
								? ': there are no such records yet'
								: n.found === null
									? ' …'
									: n.found > 1
										? `: ${n.found} have it`
										: n.by
											? ': none has it'
											: ''}</span
						>
						{#if n.type !== null}
							{@const box = `known-${n.key.replace('.', '-')}`}
							<span class="relative ml-auto w-64"
								><label class="sr-only" for={box}>The record here that is {n.title}</label>
								<LinkInput
									id={box}
									value={n.here}
									title={n.here ? titleOf(n.type, n.here) : ''}
									target={n.type}
									onchange={(v) => t.pick(n.key, typeof v === 'string' ? v : null)}
								/></span
							>
						{/if}
					</li>
				{/each}
			</ul>
		</div>
	{/if}
	{#each groups as g (g.part)}
		{@const on = g.keys.filter(t.isTaken).length}
		<h3 class="mt-3 flex items-baseline gap-3 text-sm">
			<span class="font-semibold">{PARTS[g.part]}</span>
			<span class="font-normal text-quiet">{on} of {g.of.length}</span>
			{#if g.of.length > 1}<button
					class="textlink font-normal"
					onclick={() => t.leave(g.keys, on > 0)}>{on ? 'None' : 'All'}</button
				>{/if}
		</h3>
		<ul>
			{#each g.of as c (c.id)}
				{@const key = t.keyOf(c)}
				{@const met = metBy.get(key)}
				{@const missed = t.missed.get(key)}
				{@const problem = c.part === 'rule' ? t.problems.get(c.id) : undefined}
				<li class="border-t border-hairline py-1">
					<label class="flex min-h-6 flex-wrap items-center gap-x-2"
						><input
							type="checkbox"
							checked={t.isTaken(key)}
							onchange={(e) => t.leave([key], !e.currentTarget.checked)}
						/>
						<span class="font-medium">{c.name}</span>
						<span class="text-sm text-quiet">{WHAT[c.what]}</span></label
					>
					{#if met?.candidates.length}
						<div class="ml-6 flex min-h-6 flex-wrap items-center gap-2 text-sm">
							{#if met.otherwise}<span class="text-quiet"
									>called “{met.otherwise}” in the draft</span
								>{:else if met.by === 'name'}<span class="text-quiet"
									>known by its name; its identity is another</span
								>{/if}
							{#if asking === met.key}
								<span class="text-quiet">in the draft it is</span>
								<Choose
									label="What {c.name} is in the draft"
									value={met.isNew ? NEW : met.here}
									choices={[
										{ value: NEW, label: 'something new' },
										...couldBe(met).map((x) => ({ value: x.id, label: x.label }))
									]}
									onpick={(v) => {
										asking = null;
										t.choose(met.key, v === NEW ? null : v);
									}}
								/>
							{:else}<button class="textlink" onclick={() => (asking = met.key)}
									>{met.isNew ? 'It is one of the draft' : 'It is another'} …<span class="sr-only">
										{c.name}</span
									></button
								>{/if}
						</div>
					{/if}
					{#if missed}<p class="ml-6 text-sm text-ochre">
							▲ {missed.length > 2
								? `${missed.length} of what is ticked use it`
								: `${andList([...missed])} ${missed.length > 1 ? 'use' : 'uses'} it`}, and
							{c.what === 'new' ? 'the draft has none' : 'it says something else in the draft'}.
						</p>{/if}
					{#if problem}<p class="ml-6 text-sm text-ochre">
							▲ It would be left out: {problem}
						</p>{/if}
					{#if c.what === 'new'}
						<details class="ml-6 text-sm">
							<summary class="textlink w-fit cursor-pointer">What it says</summary>
							<Parts all={c.differences} />
						</details>
					{:else if c.differences.length}<div class="ml-6"><Parts all={c.differences} /></div>{/if}
				</li>
			{/each}
		</ul>
	{/each}
	{#if living.length}<p class="mt-2 text-sm text-quiet">
			Rows of {living.map((x) => `“${x.label}”`).join(', ')} are edited in force here and stay as they
			are.
		</p>{/if}
	{#if t.bundle.set.accepted?.length}<p class="mt-2 text-sm text-quiet">
			{t.bundle.set.accepted.length}
			{t.bundle.set.accepted.length === 1 ? 'finding is' : 'findings are'} accepted there. That stays
			there: whoever answers for the rules here accepts it here.
		</p>{/if}
	{#if t.bundle.model.zone !== w.model.zone}<p class="mt-2 text-sm text-ochre">
			▲ Days begin there as in {t.bundle.model.zone}, here as in {w.model.zone}.
		</p>{/if}

	{#if people}<p class="mt-2 text-sm text-ochre">
			▲ People who sign in are records of {people.there} there, and of {people.here} here: what rules
			read of the person is read of those. <a class="textlink" href="/people#stand-for">People</a>
		</p>{/if}

	<h3 class="mt-3 text-sm font-semibold">Trials</h3>
	{#if !w.trials.known}<p class="text-quiet">… those of this draft are being fetched.</p>
	{:else if !t.trials.length}<p class="text-sm text-quiet">There are none in it.</p>
	{:else}
		<div class="mt-1 flex flex-wrap gap-x-6">
			{#each ['new', 'changed'] as const as what (what)}
				{@const n = count(what)}
				{#if n}<label class="flex min-h-6 items-center gap-2"
						><input
							type="checkbox"
							checked={t.isTaken(`trials ${what}`)}
							onchange={(e) => t.leave([`trials ${what}`], !e.currentTarget.checked)}
						/>take {n}
						{what === 'new'
							? 'new'
							: n === 1
								? 'that says something else here'
								: 'that say something else here'}</label
					>{/if}
			{/each}
			{#if count('same')}<span class="text-quiet">{count('same')} are here already</span>{/if}
		</div>
	{/if}
	<p class="mt-1" role="status">
		{#if t.running}… trials are run on the draft as it would be
		{:else if t.tried.length}
			{failing.length ? '▲' : '✓'}
			{t.tried.length - failing.length} of {t.tried.length} in the bundle hold on the draft as it would
			be; there {t.tried.filter((x) => x.there.held).length} hold. {own}
		{/if}
	</p>
	{#if !t.running && (failing.length || t.apart.length)}
		<ul class="text-sm" aria-label="Trials that do not hold, or come out otherwise">
			{#each failing as x (x.trial.id)}
				<li class="border-t border-hairline py-1">
					<span class="font-medium">{x.trial.name}</span>:
					{came(x.trial, x.here)}
					<span class="text-quiet">{x.there.held ? 'holds there' : 'fails there as well'}</span>
				</li>
			{/each}
			{#each t.apart as x (x.trial.id)}
				<li class="border-t border-hairline py-1">
					<a class="textlink" href="/try#{x.trial.id}">{x.trial.name}</a>:
					<del class="text-quiet">{came(x.trial, x.before)}</del>
					<span class="text-quiet">→</span>
					<strong class="font-semibold">{came(x.trial, x.after)}</strong>
				</li>
			{/each}
		</ul>
	{/if}
	{#if t.trouble}<p class="mt-2 text-brick" role="alert">● {t.trouble}</p>{/if}
	<div class="mt-3 flex gap-3">
		{#if w.canEdit}<button
				class="button main"
				disabled={nothing || t.busy || !w.trials.known}
				onclick={() => void take()}>{t.busy ? 'Taking …' : 'Take into the draft'}</button
			>{:else}<p class="text-quiet">
				Rules are taken into the draft by authors; you are {w.account.role}.
			</p>{/if}
		<button class="button" onclick={() => (t.pastModel = false)}>Back to the model</button>
	</div>
</section>
