<script lang="ts">
	/** A record as it was at the end of a day, beside what it is now. */
	import type { JsonValue } from '$core';
	import { formatDate, formatMoment } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		type,
		then,
		values,
		say,
		label
	}: {
		type: string;
		then: {
			on: string;
			notYet: boolean;
			again: boolean;
			values: Record<string, JsonValue>;
			/** Where history tells a value: when it was last so, as which it is read. */
			told: Record<string, string>;
			otherwise: string[];
			knownFrom: string | null;
		};
		/** As it is now. */
		values: Record<string, JsonValue>;
		/** As a field was read at an instant, ISO 8601. */
		say: (field: string, v: JsonValue, at: string) => string;
		label: (field: string, at: string) => string;
	} = $props();

	const w = useWorkbench();
	/** Later than any change. */
	const NOW = '9999';
	const present = $derived(w.schema.type(type).at);
	/** In the order of the form; what is of no field any more last. */
	const fields = $derived([
		...w.schema.type(type).type.fields.flatMap((f) => (f.retired ? [] : [f.id])),
		...Object.keys(then.told).filter((id) => !present.has(id))
	]);
	/** Only what is otherwise now. */
	let only = $state(true);
	const shown = $derived(only ? fields.filter((f) => then.otherwise.includes(f)) : fields);
</script>

<section class="mb-3 border border-line bg-sheet px-4 py-2" aria-label="As it was">
	<h2>As it was at the end of {formatDate(then.on)}</h2>
	{#if then.notYet}<p role="status">
			{then.again
				? 'It was deleted then, and made again after that day.'
				: 'It was not there yet: it was made after that day.'}
		</p>
	{:else}
		{#if then.knownFrom}<p class="text-sm text-ochre">
				▲ History is kept from {formatMoment(then.knownFrom, w.model.zone)} on. What changed before that
				is not known, and shown as it was then.
			</p>{/if}
		{#if then.otherwise.length}
			<label class="flex min-h-6 items-center gap-2 text-sm"
				><input type="checkbox" bind:checked={only} />only what is otherwise now</label
			>
		{/if}
		{#if shown.length}
			<table class="grid-table text-sm" aria-label="Values then and now">
				<thead><tr><th>Field</th><th>Then</th><th>Now</th></tr></thead>
				<tbody>
					{#each shown as f (f)}
						{@const moved = then.otherwise.includes(f)}
						{@const at = then.told[f] ?? NOW}
						<tr
							><td>{label(f, at)}</td><td class="mono" class:font-semibold={moved}
								>{say(f, then.values[f] ?? null, at)}</td
							><td class="mono text-quiet"
								>{present.has(f) ? say(f, values[f] ?? null, NOW) : 'the field was removed'}</td
							></tr
						>
					{/each}
				</tbody>
			</table>
		{:else}<p class="text-sm" role="status">As it is now: nothing has changed since.</p>{/if}
	{/if}
</section>
