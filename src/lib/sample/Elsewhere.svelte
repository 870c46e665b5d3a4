<script lang="ts">
	/** What a change comes to at other records. */
	import { toJson, type JsonValue, type SettledRecord, type Value } from '$core';
	import { formatValue } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		records,
		putOff
	}: {
		/** Those in which something changes. */
		records: readonly SettledRecord[];
		/** How many more it runs on to, which are not looked at. */
		putOff: number;
	} = $props();
	const w = useWorkbench();
	/** Most records, and fields of each, that are told one by one. */
	const MOST = 4;
	const title = (r: SettledRecord) => {
		const { type, at } = w.schema.type(r.type);
		return String(toJson(r.values[at.get(type.title)!]) ?? `${type.label} ${r.id}`);
	};
	const say = (r: SettledRecord, field: string, v: Value) => {
		const json: JsonValue = toJson(v);
		return formatValue(w.schema.field(r.type, field)!, json, w.schema, w.titles.all) || 'blank';
	};
</script>

{#if records.length}
	<div
		class="mt-2 border border-l-4 border-line border-l-band-4 bg-sheet px-3 py-2 text-sm"
		data-testid="elsewhere"
	>
		<p class="text-quiet">
			and at {records.length === 1 ? 'another record' : `${records.length} other records`}
		</p>
		{#each records.slice(0, MOST) as r (r.type + r.id)}
			{#each r.changes.slice(0, MOST) as c (c.field)}
				<p>
					<span class="text-quiet">{title(r)}:</span>
					{w.schema.field(r.type, c.field)!.label}
					<s class="text-quiet">{say(r, c.field, c.from)}</s> →
					<strong class="font-semibold">{say(r, c.field, c.to)}</strong>
				</p>
			{/each}
			{#if r.changes.length > MOST}<p class="text-quiet">
					{title(r)}: {r.changes.length - MOST} more fields
				</p>{/if}
		{/each}
		{#if records.length > MOST}<p class="text-quiet">and {records.length - MOST} more</p>{/if}
	</div>
{/if}
{#if putOff}
	<p class="mt-2 px-3 py-2 text-sm text-quiet" data-testid="put-off">
		It runs on to {putOff} more {putOff === 1 ? 'record' : 'records'}, which are not looked at here.
	</p>
{/if}
