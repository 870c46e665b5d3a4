<script lang="ts">
	import { goto } from '$app/navigation';
	import { usesOf } from '$core';
	import { formatCount } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	const w = useWorkbench();
	const tables = $derived(w.draft.tables ?? []);

	function add() {
		const id = `t_${crypto.randomUUID().slice(0, 8)}`;
		w.setTable('new table', {
			id,
			label: `Table ${tables.length + 1}`,
			why: '',
			columns: [
				{ id: 'key', label: 'Key', type: 'text' },
				{ id: 'value', label: 'Value', type: 'text' }
			],
			keys: [{ match: 'exact', column: 'key' }],
			rows: [[null, null]]
		});
		void goto(`/tables/${id}`);
	}
</script>

<svelte:head><title>Reference tables · Rigid Rule</title></svelte:head>

<div class="max-w-4xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Reference tables</h1>
	<p class="mb-3 text-quiet">
		Values that the business maintains, looked up by rules. Rows of most are part of the draft and
		count when they are released; those of a living table are edited in force, by whoever keeps it.
	</p>
	{#if tables.length}
		<table class="grid-table">
			<thead
				><tr><th>Table</th><th>Columns</th><th class="num">Rows</th><th>Looked up by</th></tr
				></thead
			>
			<tbody>
				{#each tables as t (t.id)}
					{@const uses = usesOf(w.draft, { table: t.id })}
					{@const faults = w.found.filter((f) => f.part.kind === 'table' && f.part.id === t.id)}
					<tr>
						<td>
							<a class="textlink font-semibold" href="/tables/{t.id}">{t.label}</a>
							<span class="block text-sm text-quiet">{t.why}</span>
							{#if faults.length}<span class="text-sm text-brick"
									>● {faults.length} {faults.length > 1 ? 'findings' : 'finding'}</span
								>{/if}
						</td>
						<td class="text-sm">{t.columns.map((c) => c.label).join(', ')}</td>
						<td class="mono num"
							>{w.living.away.includes(t.id)
								? '…'
								: formatCount((w.schema.tables.get(t.id) ?? t).rows.length)}{#if t.living}<span
									class="block font-sans text-xs text-quiet"
									>{w.force.set.tables?.some((x) => x.id === t.id && x.living)
										? 'in force at once'
										: 'in force from the next release'}</span
								>{/if}</td
						>
						<td class="text-sm">{uses.map((u) => u.name).join(', ') || 'no rule yet'}</td>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else}
		<p class="border border-dashed border-line px-4 py-6">
			No table yet. Make one for what the business keeps in a list: countries and their currencies,
			postal codes and their districts.
		</p>
	{/if}
	{#if w.canEdit}<button class="button main mt-4" onclick={add}>New table</button>{/if}
</div>

<style>
	.num {
		text-align: right;
	}
</style>
