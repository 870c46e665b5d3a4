<script lang="ts">
	/** What the draft changes against the release in force, each with the way to it and what differs. */
	import { sheetOf } from '$core';
	import Differences from '../rule/Differences.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	const w = useWorkbench();
	const WHAT = {
		new: 'new',
		changed: 'changed',
		removed: 'taken out',
		order: 'claim order'
	} as const;
	/** The change whose differences are seen. */
	let differing = $state<string | null>(null);
	function href({ part, id }: (typeof w.changes)[number]): string {
		if (part === 'table') return w.schema.tables.has(id) ? `/tables/${id}` : '/tables';
		if (part === 'definition') return `/definitions#definition-${id}`;
		const r = part === 'rule' && (w.rule(id) ?? w.force.set.rules.find((x) => x.id === id));
		return r ? `/write/${r.type}/${sheetOf(r)}#rule-${id}` : `/write/${id.replace('.', '/')}`;
	}
</script>

<ul class="mt-1">
	{#each w.changes as c (`${c.part} ${c.id}`)}
		<li class="border-b border-hairline py-1">
			<div class="flex gap-3">
				<span class="w-20 text-sm text-quiet">{WHAT[c.what]}</span><a
					class="textlink grow"
					href={href(c)}>{c.name}</a
				>
				{#if c.part === 'rule'}<button
						class="textlink text-sm"
						aria-expanded={differing === c.id}
						aria-label="What differs in {c.name}"
						onclick={() => (differing = differing === c.id ? null : c.id)}>what differs</button
					>{/if}
			</div>
			{#if differing === c.id}<div class="mt-1 mb-2 ml-23">
					<Differences
						before={w.force.set.rules.find((r) => r.id === c.id) ?? null}
						after={w.rule(c.id) ?? null}
					/>
				</div>{/if}
		</li>
	{/each}
</ul>
