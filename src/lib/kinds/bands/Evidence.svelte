<script lang="ts">
	/** The bands with the one that was met. */
	import type { BodyOf } from '$core';
	import { bandText } from '$core';
	import type { EvidenceProps } from '../view';

	let { rule, body, field, report, format }: EvidenceProps<BodyOf<'bands'>> = $props();
	const tone = (met: boolean) => (met ? 'font-semibold text-brass-ink' : 'text-quiet');
</script>

{#if report.reads?.length}
	<h4 class="mt-3 text-xs font-semibold text-quiet">Bands</h4>
	<ul class="mono text-sm">
		{#each body.results as r, k (k)}
			<li class={tone(report.row === k)}>
				{report.row === k ? '▸' : '\u00a0'}
				{bandText(body.limits, k)}
				{r ? format({ type: rule.type, field: field.id }, r[0] as string) : 'no band'}
			</li>
		{/each}
		<li class={tone(report.row === 'blank')}>
			{report.row === 'blank' ? '▸' : '\u00a0'} blank
		</li>
	</ul>
{/if}
