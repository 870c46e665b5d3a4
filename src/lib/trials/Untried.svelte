<script lang="ts">
	/** What nobody tried, rule by rule, the most harmful first, and trials proposed for it. */
	import { onMount } from 'svelte';
	import { page } from '$app/state';
	import type { Point, Proposal, Rule, Trial } from '$core';
	import { canonicalJson, pointsOf, sheetOf } from '$core';
	import { tell } from '../shell/notices';
	import { useWorkbench } from '../work/workbench.svelte';
	import Points from './Points.svelte';
	import RuleLine from './RuleLine.svelte';
	import {
		nameOf,
		newTrialId,
		sayChange,
		sayExpected,
		saySample,
		trialWords,
		wordsOf
	} from './words';

	const w = useWorkbench();
	onMount(() => w.covering.want());
	const words = $derived(trialWords(w));
	const { covering } = w;

	interface Line {
		rule: Rule;
		points: Point[];
		tried: Map<string, string[]>;
		/** The weight of what nobody tried. */
		harm: number;
	}
	const lines = $derived.by(() =>
		w.draft.rules
			.flatMap((rule): Line[] => {
				const known = covering.rules.get(rule.id);
				if (!known) return [];
				const tried = new Map(known.tried);
				const points = pointsOf(w.plan, rule, words.say);
				const open = points.filter((p) => !tried.has(p.key));
				return [{ rule, points, tried, harm: open.reduce((n, p) => n + p.weight, 0) }];
			})
			.sort((a, b) => b.harm - a.harm)
	);
	let open = $state<string | null>(null);
	$effect(() => {
		const asked = page.url.searchParams.get('rule');
		if (asked) open = asked;
	});

	/** By rule; null while they are looked for. */
	let made = $state.raw<Record<string, Proposal[] | null>>({});
	/** The draft that they were made of: of another, what they give may not be so. */
	let madeOf = $state.raw('');
	const proposals = $derived(madeOf === canonicalJson(w.draft) ? made : {});
	let looking = $state(0);
	async function propose(rules: readonly string[]) {
		looking = rules.length;
		made = Object.fromEntries(rules.map((r) => [r, null]));
		madeOf = canonicalJson(w.draft);
		for (const rule of rules) {
			const found = await covering.propose(rule);
			made = { ...made, [rule]: found ?? [] };
			looking--;
		}
		looking = 0;
	}
	const all = $derived(
		Object.entries(proposals).flatMap(([rule, found]) => (found ?? []).map((p) => ({ rule, p })))
	);
	let trouble = $state<string | null>(null);
	const named = (rule: string, { trial }: Proposal): Trial => ({
		...trial,
		id: newTrialId(),
		name: nameOf(trial, words),
		group: w.draft.rules.find((r) => r.id === rule)?.name.slice(0, 100)
	});
	const without = (gone: readonly Proposal[]) => {
		made = Object.fromEntries(
			Object.entries(made).map(([r, ps]) => [r, ps && ps.filter((p) => !gone.includes(p))])
		);
	};
	async function right(some: readonly { rule: string; p: Proposal }[]) {
		trouble = await w.trials.keepAll(some.map(({ rule, p }) => named(rule, p)));
		if (trouble) return;
		without(some.map((s) => s.p));
		tell(some.length === 1 ? 'Kept as a trial.' : `${some.length} trials kept.`);
	}
	const label = (line: Line, key: string) => line.points.find((p) => p.key === key)?.label ?? '';
</script>

<div class="min-h-0 flex-1 overflow-y-auto pt-2">
	{#if covering.trouble}<p class="text-brick" role="alert">● {covering.trouble}</p>{/if}
	{#if !covering.known}
		<p class="text-quiet" role="status">… looking at what the trials try.</p>
	{:else}
		<div class="flex flex-wrap items-center gap-3">
			<p class="grow">
				<strong class="mono">{covering.tried}</strong> of
				<span class="mono">{covering.points}</span>
				points are tried{covering.old ? ', looking again …' : ''}. A point is a part of a rule, a
				side of a limit, an outcome of a condition, a blank, a value set by hand, a road.
			</p>
			{#if w.canEdit}
				{#if looking}<span class="text-quiet" role="status"
						>… {looking} {looking === 1 ? 'rule' : 'rules'} to look at</span
					>
				{:else}<button
						class="button"
						onclick={() => void propose(lines.filter((l) => l.harm).map((l) => l.rule.id))}
						>Propose trials for all of it</button
					>{/if}
				{#if all.length && !looking}<button class="button" onclick={() => void right(all)}
						>All {all.length} are right: keep them</button
					>{/if}
			{/if}
		</div>
		{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}
		<ul class="mt-2" aria-label="Rules by what nobody tried of them">
			{#each lines as line (line.rule.id)}
				{@const { rule, points, tried } = line}
				{@const found = proposals[rule.id]}
				<li class="border-t border-hairline">
					<RuleLine
						name={rule.name}
						done={tried.size}
						of={points.length}
						word="tried"
						open={open === rule.id}
						onopen={() => (open = open === rule.id ? null : rule.id)}
					/>
					{#if open === rule.id}
						<div class="mb-2 pl-4">
							{#if !line.harm}<p class="text-teal">✓ Everything is tried.</p>{/if}
							<Points {rule} />
						</div>
						<p class="mb-2 flex gap-4 pl-4">
							{#if w.canEdit && tried.size < points.length && !looking}<button
									class="textlink"
									onclick={() => void propose([rule.id])}>Propose trials for it</button
								>{/if}
							<a class="textlink" href="/write/{rule.type}/{sheetOf(rule)}#rule-{rule.id}"
								>Open the rule</a
							>
						</p>
					{/if}
					{#if found === null && rule.id in proposals}<p class="pb-2 pl-4 text-quiet">… looking</p>
					{:else if found?.length}
						<ul class="mb-2 ml-4 border-l-4 border-band-3 bg-panel px-3 py-1">
							{#each found as p, i (i)}
								{@const own = wordsOf(p.trial, words)}
								<li class="flex flex-wrap items-baseline gap-x-3 border-b border-hairline py-1">
									<div class="min-w-64 grow">
										<p>
											<span class="text-teal">{sayChange(p.trial.type, p.trial, own)}</span>
											<span class="text-quiet">gives</span>
											<strong class="font-semibold"
												>{sayExpected(p.trial.type, p.trial.expect, own)}</strong
											>
										</p>
										<p class="text-xs text-quiet">
											{saySample(p.trial, words)}; tries: {p.points
												.map((k) => label(line, k))
												.join('; ')}
										</p>
									</div>
									<button class="button" onclick={() => void right([{ rule: rule.id, p }])}
										>Right: keep it</button
									>
									<a
										class="textlink"
										href="/write/{rule.type}/{sheetOf(rule)}#rule-{rule.id}"
										onclick={() => {
											without([p]);
											w.showTrial(p.trial);
										}}>Wrong: open the rule</a
									>
								</li>
							{/each}
							{#if found.length > 1}<li class="py-1">
									<button
										class="button"
										onclick={() => void right(found.map((p) => ({ rule: rule.id, p })))}
										>All {found.length} of this rule are right: keep them</button
									>
								</li>{/if}
						</ul>
					{:else if found && line.harm && !found.length}
						<p class="pb-2 pl-4 text-sm text-quiet">
							For the rest no record was found that gets there: write a trial by hand, or it cannot
							be reached.
						</p>
					{/if}
				</li>
			{/each}
		</ul>
	{/if}
</div>
