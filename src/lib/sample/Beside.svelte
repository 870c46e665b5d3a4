<script lang="ts">
	/** Several samples side by side: what goes into each and what the draft makes of it, a field a row. */
	import type { Field, JsonValue } from '$core';
	import { toJson } from '$core';
	import { formatValue } from '../words/format';
	import { useWorkbench, type Sample } from '../work/workbench.svelte';

	let {
		fields,
		field,
		onpin
	}: {
		/** Those at stake on the sheet. */
		fields: readonly Field[];
		/** The field of the sheet. */
		field: string;
		onpin: (s: Sample) => void;
	} = $props();

	const w = useWorkbench();
	const type = $derived(w.sample!.type);
	const kept = $derived(w.kept.of(type));
	const columns = $derived(
		kept.map((k) => {
			const settled = w.settleSample(k.sample, k.sample.sent)?.records[0] ?? null;
			const at = w.schema.type(type).at;
			return {
				...k,
				failed: !settled,
				cells: fields.map((f) => {
					const i = at.get(f.id)!;
					const value: JsonValue = settled ? toJson(settled.values[i]) : null;
					const change = settled?.changes.find((c) => c.field === f.id);
					return {
						text: value === null ? '–' : formatValue(f, value, w.schema, w.titles.all),
						written: !!change?.claim,
						sent: k.sample.sent.some(([id]) => id === f.id),
						refused: settled?.messages.some((m) => m.field === f.id && m.blocking) ?? false
					};
				})
			};
		})
	);
</script>

{#if columns.length}
	<div class="mt-4 flex items-center gap-3">
		<h3 class="text-sm whitespace-nowrap">Kept beside</h3>
		<div class="ticks grow"></div>
	</div>
	<div class="mt-1 overflow-x-auto">
		<table class="text-sm" aria-label="Samples side by side">
			<thead>
				<tr>
					<th class="sr-only">Field</th>
					{#each columns as c (c.id)}
						<th scope="col">
							<input
								class="name"
								aria-label="Name of the sample {c.name}"
								value={c.name}
								onchange={(e) => {
									const name = e.currentTarget.value.trim();
									if (name) w.kept.rename(c.id, name);
									else e.currentTarget.value = c.name;
								}}
							/>
							<span class="flex gap-2">
								<button
									class="textlink text-xs"
									aria-label="Take {c.name} up"
									onclick={() => onpin(c.sample)}>take up</button
								>
								<button
									class="textlink text-xs text-quiet"
									aria-label="No longer beside: {c.name}"
									onclick={() => w.kept.drop(c.id)}>drop</button
								>
							</span>
						</th>
					{/each}
				</tr>
			</thead>
			<tbody>
				{#each fields as f, i (f.id)}
					<tr class:mine={f.id === field}>
						<th scope="row">{f.label}</th>
						{#each columns as c (c.id)}
							{@const x = c.cells[i]}
							<td
								class="mono"
								class:written={x.written}
								class:sent={x.sent}
								title={x.sent
									? 'changed in this sample'
									: x.written
										? 'written by a rule'
										: undefined}
								>{c.failed ? '?' : x.text}{#if x.refused}<span class="text-brick"> ●</span>{/if}</td
							>
						{/each}
					</tr>
				{/each}
			</tbody>
		</table>
		{#if columns.some((c) => c.failed)}<p class="text-xs text-quiet">
				? holds a value that the model no longer knows.
			</p>{/if}
	</div>
{/if}

<style>
	th,
	td {
		padding: 3px 10px 3px 0;
		text-align: left;
		vertical-align: top;
		border-bottom: 1px solid var(--color-hairline);
		font-weight: 400;
		min-width: 92px;
	}
	th[scope='row'] {
		color: var(--color-quiet);
	}
	.mine > * {
		background: var(--color-band-1);
		font-weight: 600;
	}
	.mine th[scope='row'] {
		color: var(--color-ink);
	}
	.written {
		color: var(--color-brass-ink);
		font-weight: 600;
	}
	.sent {
		color: var(--color-teal);
		text-decoration: underline dotted;
	}
	.name {
		width: 100px;
		min-height: 24px;
		border: 0;
		border-bottom: 1px solid transparent;
		background: none;
		padding: 0;
		font-weight: 600;
		text-overflow: ellipsis;
	}
	.name:hover,
	.name:focus {
		border-bottom-color: var(--color-field-line);
	}
</style>
