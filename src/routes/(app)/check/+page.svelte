<script lang="ts">
	import { formatValue } from '$lib/format';
	import { useWorkbench } from '$lib/workbench.svelte';

	const w = useWorkbench();
	const sorted = $derived(
		[...w.found].sort(
			(a, b) => Number(b.severity === 'blocking') - Number(a.severity === 'blocking')
		)
	);
	const blocking = $derived(w.found.filter((f) => f.severity === 'blocking').length);
</script>

<svelte:head><title>Check · Rigid Rule</title></svelte:head>

<div class="max-w-4xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Check</h1>
	<p class="mb-3 text-quiet">
		{#if !w.found.length}Nothing wrong was found in the {w.draft.rules.length} rules of the draft.
		{:else}{w.found.length} finding{w.found.length > 1 ? 's' : ''} in {w.draft.rules.length} rules, {blocking ||
				'none'} of them blocking. Where a record stands below, it was run through the draft and shows
			it.{/if}
	</p>
	{#each sorted as f (f.id)}
		{@const rule = w.rule(f.rule)}
		{@const type = w.schema.types.get(f.type)?.type}
		<article
			class="mb-2 border border-l-4 border-line bg-sheet {f.severity === 'blocking'
				? 'border-l-brick'
				: 'border-l-ochre'} px-4 py-3"
			id={f.id}
		>
			<div class="flex items-baseline gap-3">
				<span
					class="w-20 shrink-0 text-sm font-semibold {f.severity === 'blocking'
						? 'text-brick'
						: 'text-ochre'}">{f.severity === 'blocking' ? '● blocks' : '▲ advice'}</span
				>
				<div class="min-w-0 grow">
					<p>{f.message}</p>
					<p class="text-sm text-quiet">
						{#if f.part.kind === 'rule'}{type?.label} ·
							<a class="textlink" href={w.placeOf(f)}>{rule?.name}</a>
						{:else}{f.part.kind === 'table' ? 'Reference table' : 'Definition'}{/if}
						{#if f.witness && type}
							· shown by a new {type.label.toLowerCase()} with
							{#each Object.entries(f.witness) as [id, v], i (id)}{@const x = w.schema.field(
									f.type,
									id
								)}{i ? ', ' : ' '}{x?.label}
								<span class="mono text-teal"
									>{x ? formatValue(x, v, w.schema) || 'blank' : String(v)}</span
								>{:else}
								nothing filled in{/each}
						{/if}
					</p>
				</div>
				<a class="textlink text-sm whitespace-nowrap" href={w.placeOf(f)}>Open</a>
				{#if f.repair && w.canEdit}{@const repair = f.repair}<button
						class="button text-sm whitespace-nowrap"
						onclick={() => w.repair(repair)}>{repair.label}</button
					>{/if}
			</div>
		</article>
	{/each}
	<h2 class="mt-6 text-sm">Looked for</h2>
	<p class="text-sm text-quiet">
		Formulas and definitions that cannot be read or do not fit their field · fields that depend on
		each other in a circle · numbers that no band takes · combinations of a decision table that no
		row takes or two rows take, and rows that never get their turn · options nobody mapped · cells
		of tables that do not fit their column, and two rows for one key · blank input nobody decided
		about · watched fields narrowed so that a value can go stale. Formulas are checked for their
		types and names; which values they can take is not analysed.
	</p>
</div>
