<script lang="ts">
	/** The columns of a list, in their order: put in, taken out, moved. */
	import ArrowLeft from '@lucide/svelte/icons/arrow-left';
	import ArrowRight from '@lucide/svelte/icons/arrow-right';
	import { readColumn } from '$door/lists';
	import { columnLabel } from '../../runtime/lists';
	import SearchPick from '../inputs/SearchPick.svelte';
	import Without from '../inputs/Without.svelte';
	import { useWorkbench } from '../work/workbench.svelte';
	import { columnChoices } from './list';

	let {
		type,
		columns,
		usual,
		onchange
	}: {
		type: string;
		columns: readonly string[];
		/** They are those of the record type. */
		usual: boolean;
		/** Null for those of the record type. */
		onchange: (columns: string[] | null) => void;
	} = $props();

	const w = useWorkbench();
	const label = (written: string) => {
		const c = readColumn(written);
		return c ? columnLabel(w.schema, type, c) : written;
	};
	function move(from: number, to: number) {
		const next = columns.toSpliced(from, 1);
		onchange(next.toSpliced(to, 0, columns[from]));
	}
</script>

<div class="border-l-2 border-hairline py-1 pl-3" role="group" aria-label="Columns">
	<ul class="flex flex-wrap items-center gap-2 text-sm">
		{#each columns as c, i (c)}
			<li class="flex items-center border border-hairline bg-sheet pl-2">
				{label(c)}
				<button
					class="arrow"
					aria-label="{label(c)} further left"
					disabled={i === 0}
					onclick={() => move(i, i - 1)}><ArrowLeft size={13} aria-hidden="true" /></button
				>
				<button
					class="arrow"
					aria-label="{label(c)} further right"
					disabled={i === columns.length - 1}
					onclick={() => move(i, i + 1)}><ArrowRight size={13} aria-hidden="true" /></button
				>
				<Without
					label="Leave out {label(c)}"
					onclick={() => onchange(columns.filter((x) => x !== c))}
				/>
			</li>
		{/each}
		{#if columns.length < 30}
			<li>
				<SearchPick
					text="another column"
					label="Another column"
					choices={() => columnChoices(w.schema, type, columns)}
					onpick={(c) => onchange([...columns, c])}
				/>
			</li>
		{/if}
		{#if !usual}<li>
				<button class="textlink" onclick={() => onchange(null)}>the usual columns</button>
			</li>{/if}
	</ul>
</div>

<style>
	.arrow {
		display: grid;
		place-items: center;
		width: 24px;
		min-height: 28px;
		color: var(--color-quiet);
	}
	.arrow:disabled {
		opacity: 0.3;
	}
	.arrow:not(:disabled):hover {
		background: var(--color-band-1);
	}
</style>
