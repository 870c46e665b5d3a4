<script lang="ts">
	/** Where somebody else was first: both versions side by side, to take either. */
	import type { Rule } from '$core';
	import Differences from '../rule/Differences.svelte';
	import { tell } from './notices';
	import type { Conflict } from '../work/conflicts.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	const w = useWorkbench();
	/** The conflict whose two versions are seen. */
	let seen = $state<string | null>(null);

	const ruleOf = (c: Conflict): { theirs: Rule | null; mine: Rule | null } | null => {
		const [part, id] = c.part.split('.');
		if (part !== 'rules') return null;
		const find = (rules: readonly Rule[]) => rules.find((r) => r.id === id) ?? null;
		return { theirs: find(w.draft.rules), mine: find(w.conflicts.withMine(c).rules) };
	};
	function choose(c: Conflict, take: 'mine' | 'theirs') {
		w.conflicts.settle(c, take);
		seen = null;
		tell(
			take === 'mine'
				? `What you wrote stands in ${c.name} now.`
				: `${c.name} stays as ${c.by ?? 'somebody else'} stored it.`
		);
	}
</script>

{#each w.conflicts.all as c (c.part)}
	{@const both = ruleOf(c)}
	<section
		class="border-b border-ochre bg-ochre-wash px-6 py-2"
		aria-label="Two versions of {c.name}"
	>
		<div class="flex items-center gap-4">
			<span class="min-w-0 flex-1" role="alert"
				>▲ {c.by ?? 'Somebody else'} changed {c.name} while you did. Theirs stands; yours is kept here.</span
			>
			{#if both}<button
					class="textlink whitespace-nowrap"
					aria-expanded={seen === c.part}
					onclick={() => (seen = seen === c.part ? null : c.part)}>What differs</button
				>{/if}
			<button class="button whitespace-nowrap" onclick={() => choose(c, 'theirs')}
				>Keep theirs</button
			>
			<button class="button whitespace-nowrap" onclick={() => choose(c, 'mine')}>Take mine</button>
		</div>
		{#if both && seen === c.part}
			<div class="mt-1 bg-sheet p-3">
				<p class="text-sm text-quiet">
					Struck out: {c.by ?? 'somebody else'}’s. Behind it: yours.
				</p>
				<Differences before={both.theirs} after={both.mine} />
			</div>
		{/if}
	</section>
{/each}
