<script lang="ts">
	/** What has to be so before a release, and whether it is. */
	import type { Criterion, Passing } from '$door/gate';

	let { passing, past = false }: { passing: readonly Passing[]; past?: boolean } = $props();

	const WAY: Record<Criterion, { href: string; label: string }> = {
		findings: { href: '/check', label: 'Findings' },
		trials: { href: '/try', label: 'Trials' },
		coverage: { href: '/try?view=untried', label: 'Untried' },
		strength: { href: '/try?view=strength', label: 'Strength' },
		rehearsal: { href: '/rehearse', label: 'Rehearse' },
		replay: { href: '/rehearse?on=changes', label: 'Replay' },
		surprises: { href: '/rehearse', label: 'Surprises' },
		remarks: { href: '#remarks', label: 'Remarks' }
	};
</script>

<ul class="text-sm">
	{#each passing as p (p.what)}
		<li class="py-1" data-testid="gate-{p.what}">
			<span
				class={p.met
					? 'text-teal'
					: p.met === null
						? 'text-quiet'
						: p.level === 'must'
							? 'text-brick'
							: 'text-ochre'}
				>{p.met ? '✓' : p.met === null ? '…' : p.level === 'must' ? '●' : '▲'} {p.says}</span
			>
			{#if !past && !p.met}<a class="textlink" href={WAY[p.what].href}>{WAY[p.what].label}</a>{/if}
			{#if past && p.lines?.length}<ul class="pl-4 text-quiet">
					{#each p.lines as line, i (i)}<li>{line}</li>{/each}
				</ul>{/if}
			{#if p.level === 'must' && p.met === false && !past}<span class="text-quiet"
					>Has to be so.</span
				>{/if}
			{#if p.reason}<span class="block pl-4"
					><span class="text-quiet">Released all the same:</span> {p.reason}</span
				>{/if}
		</li>
	{/each}
</ul>
