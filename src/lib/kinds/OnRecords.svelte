<script lang="ts">
	/** What a rule gives on some stored records, read once when it is asked for. */
	import type { JsonValue, Output, Rule } from '$core';
	import { Refused, ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';

	let { rule, output }: { rule: Rule; output: Output } = $props();
	const w = useWorkbench();
	const MOST = 6;

	interface Read {
		id: string;
		title: string;
		values: Record<string, JsonValue>;
		links: Record<string, string>;
	}
	let records = $state.raw<Read[] | null>(null);
	let trouble = $state('');
	let busy = $state(false);

	async function look() {
		if (records) {
			records = null;
			return;
		}
		busy = true;
		trouble = '';
		try {
			const some = await ask<{ id: string }[]>(`/look/samples?type=${rule.type}`);
			const read = await Promise.all(
				some.slice(0, MOST).map(({ id }) => ask<Read>(`/look/samples?type=${rule.type}&id=${id}`))
			);
			for (const r of read) w.titles.learn(r.links);
			records = read;
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
		busy = false;
	}
</script>

<button
	class="textlink text-sm"
	aria-expanded={records !== null}
	disabled={busy}
	onclick={() => void look()}>{records ? 'Not on records' : 'On some records'}</button
>
{#if trouble}<p class="text-sm text-brick" role="alert">● {trouble}</p>{/if}
{#if records}
	<table class="grid-table my-1 text-sm" aria-label="What it gives on some records">
		<tbody>
			{#each records as r (r.id)}
				{@const given = w.givenFor(rule, output, r.values)}
				<tr>
					<td class="whitespace-nowrap">{r.title}</td>
					<td class="mono w-full"
						>{#if given === null}<span class="text-quiet">it does not run</span
							>{:else if given}{given}{:else}<span class="text-quiet">nothing</span>{/if}</td
					>
				</tr>
			{:else}<tr><td class="text-quiet">There is no record yet.</td></tr>{/each}
		</tbody>
	</table>
{/if}
