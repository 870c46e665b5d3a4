<script lang="ts">
	/** What a match or a look-up finds at all records that exist: one, several or none, with examples and the keys that find none. */
	import type { Rule } from '$core';
	import type { FindsLook } from '$server/look/finds';
	import { formatCount } from '../words/format';
	import { ask, type Refused } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		rule,
		what,
		href
	}: {
		rule: Rule;
		/** What is found: a record, a row. */
		what: string;
		/** Where something found is seen. */
		href: (id: string) => string;
	} = $props();

	const w = useWorkbench();
	const own = $derived(w.schema.type(rule.type).type);
	let look = $state.raw<FindsLook | null>(null);
	let busy = $state(false);
	let trouble = $state('');
	let only = $state<'several' | 'none' | 'one'>('several');
	async function lookAtAll() {
		busy = true;
		trouble = '';
		await w.flush();
		try {
			const answer = await ask<FindsLook>('/look/finds', { method: 'POST', body: { rule } });
			look = answer;
			only = answer.several ? 'several' : answer.none ? 'none' : 'one';
		} catch (e) {
			trouble = (e as Refused).message;
		}
		busy = false;
	}
	const shown = $derived((look?.examples ?? []).filter((x) => x.outcome === only));
	const tally = $derived(
		look
			? ([
					['one', look.one, `find one ${what}`],
					['several', look.several, 'find several'],
					['none', look.none, 'find none']
				] as const)
			: []
	);
</script>

<button class="textlink" disabled={busy} onclick={lookAtAll}
	>{busy
		? 'Looking …'
		: look
			? 'Look at all again'
			: `What all ${own.plural.toLowerCase()} would find`}</button
>
{#if trouble}<p class="mt-1 text-sm text-brick" role="alert">● {trouble}</p>{/if}
{#if look}
	<div class="mt-2 border border-hairline" data-testid="match-look">
		<div class="flex flex-wrap gap-4 border-b border-hairline px-3 py-1 text-sm" role="status">
			<span class="text-quiet"
				>Of {look.more ? 'the first ' : ''}{formatCount(look.of)} {own.plural.toLowerCase()}</span
			>
			{#each tally as [key, n, text] (key)}
				<button class="textlink" aria-pressed={only === key} onclick={() => (only = key)}
					><span class="mono {only === key ? 'font-semibold' : ''}">{formatCount(n)}</span>
					&nbsp;{text}</button
				>
			{/each}
			<span class="text-quiet"
				><span class="mono">{formatCount(look.blank)}</span> have nothing to look for</span
			>
		</div>
		<table class="w-full text-sm">
			<tbody>
				{#each shown as x (x.id)}
					<tr class="border-b border-hairline last:border-0">
						<td class="px-3 py-1"
							><a class="textlink" href="/records/{rule.type}/{x.id}">{x.title}</a></td
						>
						<td class="mono px-3 py-1 text-teal">{x.values.join(' · ')}</td>
						<td class="px-3 py-1">
							{#each x.found as m, i (m.id)}{i ? ', ' : ''}<a class="textlink" href={href(m.id)}
									>{m.title}</a
								>
								<span class="mono text-xs text-quiet">{m.id}</span>{:else}<span class="text-quiet"
									>none</span
								>{/each}
						</td>
					</tr>
				{:else}
					<tr><td class="px-3 py-1 text-quiet">No record.</td></tr>
				{/each}
			</tbody>
		</table>
		{#if only === 'none' && look.missing.length}
			<p class="border-t border-hairline px-3 py-1 text-sm">
				<span class="text-quiet">Most often without one:</span>
				{#each look.missing as m, i (i)}{i ? '; ' : ' '}<span class="mono text-teal"
						>{m.values.join(' · ')}</span
					>
					<span class="text-quiet">({formatCount(m.records)})</span>{/each}
			</p>
		{/if}
	</div>
{/if}
