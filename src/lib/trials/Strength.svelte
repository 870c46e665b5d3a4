<script lang="ts">
	/** How strong the trials are: small mistakes in each rule, and whether any trial notices. */
	import { onMount } from 'svelte';
	import type { Notice, Rule } from '$core';
	import { differences, sheetOf } from '$core';
	import { tell } from '../shell/notices';
	import { useWorkbench } from '../work/workbench.svelte';
	import RuleLine from './RuleLine.svelte';
	import {
		saySample,
		nameOf,
		newTrialId,
		sayChange,
		sayExpected,
		trialWords,
		wordsOf
	} from './words';

	const w = useWorkbench();
	onMount(() => w.covering.want());
	const { covering } = w;
	const words = $derived(trialWords(w));
	const rules = $derived(new Map(w.draft.rules.map((r) => [r.id, r])));
	const all = $derived([...covering.notices.values()].flat());
	const noticed = $derived(all.filter((n) => n.by).length);
	const lines = $derived(
		[...covering.notices]
			.flatMap(([id, notices]) => {
				const rule = rules.get(id);
				return rule && notices.length
					? [{ rule, notices, open: notices.filter((n) => !n.by) }]
					: [];
			})
			.sort((a, b) => b.open.length - a.open.length)
	);
	let open = $state<string | null>(null);
	let trouble = $state<string | null>(null);

	/** What the mistake is, in terms of the rule. */
	function say(rule: Rule, n: Notice): string {
		if (n.slip === 'switched off') return 'the rule is switched off';
		if (!n.altered) return 'it stands one place higher in its claim order';
		const told = differences(rule, n.altered, w.schema, words.say);
		// what follows a row that is left out takes its place, and is not the mistake
		const gone = n.slip === 'row left out' && told.find((d) => d.after === null);
		const first = gone || told[0];
		if (!first) return n.slip;
		const more = told.length > 1 && !gone ? ` (and ${told.length - 1} more)` : '';
		return `${first.label}: ${first.before ?? 'nothing'} → ${first.after ?? 'nothing'}${more}`;
	}
	async function keep(rule: Rule, n: Notice) {
		const trial = n.would!;
		trouble = await w.trials.keep({
			...trial,
			id: newTrialId(),
			name: nameOf(trial, words),
			group: rule.name.slice(0, 100)
		});
		if (!trouble) tell('Kept as a trial.');
	}
	const run = () => void covering.strength([...covering.rules.keys()]);
</script>

<div class="min-h-0 flex-1 overflow-y-auto pt-2">
	<div class="flex flex-wrap items-center gap-3">
		<p class="grow" role="status">
			{#if covering.left !== null}
				… {covering.total - covering.left} of {covering.total} rules held against the trials.
			{:else if all.length}
				<strong class="mono">{noticed}</strong> of <span class="mono">{all.length}</span> small
				mistakes are noticed by a trial{covering.noticesOld
					? '; the draft or its trials were edited since'
					: ''}.
			{:else}
				Each rule gets small mistakes, one at a time: a limit moved, a row left out, a comparison
				turned, a hold weakened. A mistake that no trial notices could be released.
			{/if}
		</p>
		{#if covering.left !== null}
			<progress max={covering.total} value={covering.total - covering.left}></progress>
			<button class="button" onclick={() => covering.cancel()}>Stop</button>
		{:else}
			<button class="button main" disabled={!covering.known || !w.trials.count} onclick={run}
				>{all.length ? 'Try them again' : 'Try the mistakes'}</button
			>
		{/if}
	</div>
	{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}
	<ul class="mt-2" aria-label="Rules by mistakes that nobody would notice">
		{#each lines as { rule, notices, open: missed } (rule.id)}
			<li class="border-t border-hairline">
				<RuleLine
					name={rule.name}
					done={notices.length - missed.length}
					of={notices.length}
					word="noticed"
					open={open === rule.id}
					onopen={() => (open = open === rule.id ? null : rule.id)}
				/>
				{#if open === rule.id}
					<ul class="mb-2 pl-4">
						{#each missed as n (n.key)}
							<li class="border-b border-hairline py-1">
								<p>
									<span class="text-ochre">○ nobody would notice</span>
									<span class="text-quiet">{n.slip}:</span>
									{say(rule, n)}
								</p>
								{#if n.would}
									{@const own = wordsOf(n.would, words)}
									<p class="flex flex-wrap items-baseline gap-x-3 pl-4">
										<span class="grow"
											><span class="text-quiet">It shows with</span>
											<span class="text-teal">{sayChange(n.would.type, n.would, own)}</span>,
											<span class="text-quiet">which gives</span>
											<strong class="font-semibold"
												>{sayExpected(n.would.type, n.would.expect, own)}</strong
											>
											<span class="text-quiet"
												>as the rules are. Sample: {saySample(n.would, words)}.</span
											></span
										>
										{#if w.canEdit}<button class="button" onclick={() => void keep(rule, n)}
												>Right: keep that trial</button
											>{/if}
									</p>
								{:else}<p class="pl-4 text-quiet">
										{n.tried} changes could not tell it apart: perhaps it makes no difference.
									</p>{/if}
							</li>
						{:else}<li class="text-teal">✓ Each of its mistakes is noticed.</li>{/each}
						<li class="py-1">
							<a class="textlink" href="/write/{rule.type}/{sheetOf(rule)}#rule-{rule.id}"
								>Open the rule</a
							>
						</li>
					</ul>
				{/if}
			</li>
		{/each}
	</ul>
</div>
