<script lang="ts">
	/** What a replay cannot say: changes that were not made again, and where history does not suffice. */
	import type { Retold } from '$core';
	import { capital, formatCount } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';
	import { WHY_LEFT, many, sayField } from './words';

	let {
		replay,
		before
	}: {
		replay: Retold;
		/** What the earlier version is called. */
		before: string;
	} = $props();

	const w = useWorkbench();
	const left = $derived(replay.left.reduce((n, l) => n + l.count, 0));
	const otherwise = $derived(replay.otherwise);
</script>

{#if left}<p class="text-ochre">
		▲ {many(left, 'change', 'changes')} of {formatCount(replay.changes)} could not be made again; what
		is recorded of {left === 1 ? 'it' : 'them'} stands:
		{replay.left.map((l) => `${formatCount(l.count)} ${WHY_LEFT[l.why]}`).join('; ')}.
	</p>{/if}
{#if replay.gaps}<p class="text-ochre">
		▲ Of {many(replay.gaps, 'value', 'values')} history does not show how {replay.gaps === 1
			? 'it came to be what it is'
			: 'they came to be what they are'}.
	</p>{/if}
{#if replay.deferred}<p class="text-ochre">
		▲ {many(replay.deferred, 'linked record is', 'linked records are')} beyond the most for one change:
		what became of {replay.deferred === 1 ? 'it' : 'them'} is taken as recorded.
	</p>{/if}
{#if otherwise.changes}
	<details class="text-sm text-quiet">
		<summary class="cursor-pointer"
			>{capital(before)} by itself gives otherwise than is recorded in {many(
				otherwise.changes,
				'change',
				'changes'
			)}: other rules were in force then, or history does not say all.</summary
		>
		<ul class="pl-4">
			{#each otherwise.fields.slice(0, 12) as f (`${f.type}.${f.field}`)}<li>
					{sayField(w, `${f.type}.${f.field}`)} <span class="mono">{formatCount(f.count)}</span>
				</li>{/each}
		</ul>
	</details>
{/if}
