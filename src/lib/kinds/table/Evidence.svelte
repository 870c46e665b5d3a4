<script lang="ts">
	/** The rows of the table: which matched, and at which cell the others failed. */
	import type { BodyOf } from '$core';
	import { readCell } from '$core';
	import { ANY, readFormula } from '$core/feel/language';
	import { useWorkbench } from '../../work/workbench.svelte';
	import type { EvidenceProps } from '../view';

	let { rule, body, report }: EvidenceProps<BodyOf<'table'>> = $props();

	const w = useWorkbench();
	/** Most rows that are listed. */
	const MOST_LISTED = 200;
	const scope = $derived({ schema: w.schema, type: rule.type });
</script>

{#if report.table}
	<h4 class="mt-3 text-xs font-semibold text-quiet">Rows</h4>
	<ul class="mono max-h-60 overflow-auto text-sm">
		{#each report.table.rows.slice(0, MOST_LISTED) as r (r.row)}
			<li class={r.cell === null ? 'font-semibold text-brass-ink' : 'text-quiet'}>
				{r.cell === null ? '▸' : '\u00a0'}
				{r.row + 1}
				{#if r.cell === null}matches{:else}{r.unknown ? 'cannot tell:' : 'fails:'}
					{readFormula(body.inputs[r.cell], scope).text}
					{readCell(body.rows[r.row]?.when[r.cell] ?? { text: '-' }, ANY, scope).text}{/if}
			</li>
		{/each}
		{#if report.table.rows.length > MOST_LISTED}
			<li class="text-quiet">and {report.table.rows.length - MOST_LISTED} more, not listed here</li>
		{/if}
	</ul>
{/if}
