<script lang="ts">
	/**
	 * Everything that is to be tried of a rule, by what it is about, the more harmful when untried first; each with a
	 * mark whether a trial gets there.
	 */
	import type { Point, Rule } from '$core';
	import { pointsOf } from '$core';
	import { useWorkbench } from '../work/workbench.svelte';
	import { trialWords } from './words';

	let { rule }: { rule: Rule } = $props();
	const w = useWorkbench();
	const words = $derived(trialWords(w));
	const tried = $derived(new Map(w.covering.rules.get(rule.id)?.tried));
	const KINDS: [Point['kind'], string][] = [
		['check', 'What it says'],
		['part', 'What it gives'],
		['limit', 'Limits'],
		['condition', 'Conditions'],
		['blank', 'Blank'],
		['hold', 'Set by hand, or by others'],
		['road', 'Roads and moments']
	];
	const groups = $derived.by(() => {
		const points = pointsOf(w.plan, rule, words.say);
		return KINDS.flatMap(([kind, label]) => {
			const own = points.filter((p) => p.kind === kind);
			return own.length ? [{ kind, label, points: own }] : [];
		});
	});
</script>

<dl class="grid text-sm" data-testid="points-{rule.id}">
	{#each groups as g (g.kind)}
		<dt class="text-quiet">{g.label}</dt>
		<dd>
			<ul class="flex flex-wrap gap-x-4">
				{#each g.points as p (p.key)}
					{@const by = tried.get(p.key)}
					<li class="min-h-6">
						{#if by}<a
								class="text-ink no-underline hover:underline"
								href="/try#{by[0]}"
								title="Tried by {by.length} {by.length === 1 ? 'trial' : 'trials'}: open the first"
								><span class="mark text-brass-ink" aria-hidden="true">●</span><span class="sr-only"
									>tried:
								</span>{p.label}</a
							>{:else}<span class="text-ochre"
								><span class="mark" aria-hidden="true">○</span><span class="sr-only"
									>not tried:
								</span>{p.label}</span
							>{/if}
					</li>
				{/each}
			</ul>
		</dd>
	{/each}
</dl>

<style>
	dl {
		grid-template-columns: max-content minmax(0, 1fr);
		gap: 2px 16px;
	}
	.mark {
		margin-right: 4px;
		font-size: 9px;
		vertical-align: 1px;
	}
</style>
