<script lang="ts">
	/** Everything that two versions have otherwise, in terms of rules, by what it is of. */
	import { sheetOf, type Compared } from '$core';
	import Parts from '../rule/Parts.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	let { all }: { all: readonly Compared[] } = $props();

	const w = useWorkbench();
	const PARTS: Record<Compared['part'], string> = {
		rule: 'Rules',
		order: 'Claim orders',
		definition: 'Definitions',
		table: 'Reference tables',
		model: 'The model'
	};
	const WHAT = { new: 'new', changed: 'changed', removed: 'taken out', order: 'changed' };
	const groups = $derived(
		(Object.keys(PARTS) as Compared['part'][]).flatMap((part) => {
			const of = all.filter((c) => c.part === part);
			return of.length ? [{ part, of }] : [];
		})
	);
	const href = (c: Compared) => {
		const r = c.part === 'rule' && w.rule(c.id);
		if (r) return `/write/${r.type}/${sheetOf(r)}#rule-${r.id}`;
		return c.part === 'table' && w.schema.tables.has(c.id) ? `/tables/${c.id}` : null;
	};
</script>

{#each groups as g (g.part)}
	<h2 class="mt-4 text-base">{PARTS[g.part]}</h2>
	<ul>
		{#each g.of as c, n (n)}
			{@const at = href(c)}
			<li class="border-t border-hairline py-1">
				<div class="flex gap-3">
					<span class="w-20 shrink-0 text-sm text-quiet">{WHAT[c.what]}</span>
					{#if at}<a class="textlink" href={at}>{c.name}</a>{:else}<span>{c.name}</span>{/if}
				</div>
				{#if c.differences.length && c.what !== 'removed'}<div class="mt-0.5 mb-1 ml-23">
						<Parts all={c.differences} />
					</div>{/if}
			</li>
		{/each}
	</ul>
{/each}
