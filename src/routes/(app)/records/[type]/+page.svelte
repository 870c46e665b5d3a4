<script lang="ts">
	import { formatCount, formatValue } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, params } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(params.type).type);
	const columns = $derived(
		type.columns.map((id) => w.schema.field(type.id, id)).filter((f) => f !== undefined)
	);
	const numeric = (t: string) => ['number', 'money', 'percent'].includes(t);
	const at = (page: number) => `?find=${encodeURIComponent(data.find)}&page=${page}`;
</script>

<svelte:head><title>{type.plural} · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<div class="flex items-center gap-3">
		<h1 class="text-xl">{type.plural}</h1>
		<span class="grow text-quiet"
			>{formatCount(data.total)}{data.find ? ` with “${data.find}”` : ''}</span
		>
		<form class="flex gap-2" role="search">
			<input
				class="box"
				name="find"
				defaultValue={data.find}
				placeholder="Find by name"
				aria-label="Find by name"
			/><button class="button">Find</button>
		</form>
		{#if w.canEdit}
			<a class="button" href="/records/{type.id}/import">Import</a>
			<a class="button" href="/records/{type.id}/new?form=short">New, short form</a>
			<a class="button main" href="/records/{type.id}/new">New {type.label.toLowerCase()}</a>
		{/if}
	</div>
	<div class="ticks mt-3"></div>
	<div class="overflow-x-auto">
		<table class="grid-table text-sm">
			<thead
				><tr
					><th class="text-right">No.</th>{#each columns as f (f.id)}<th
							class={numeric(f.type) ? 'text-right' : ''}>{f.label}</th
						>{/each}</tr
				></thead
			>
			<tbody>
				{#each data.records as r (r.id)}
					<tr>
						<td class="mono text-right text-quiet">{r.id}</td>
						{#each columns as f (f.id)}
							{@const text = formatValue(f, r.values[f.id], w.schema, data.links)}
							<td
								class="{numeric(f.type) ? 'mono text-right' : ''} {r.byRule.includes(f.id)
									? 'text-brass-ink'
									: ''} max-w-60 truncate"
								title={r.byRule.includes(f.id) ? 'written by a rule' : undefined}
							>
								{#if f.id === type.title}<a class="textlink" href="/records/{type.id}/{r.id}"
										>{text || `No. ${r.id}`}</a
									>{#if r.pending}<span
											class="ml-2 text-xs text-ochre"
											title="A change elsewhere runs on to this record and has not reached it yet"
											>▲ pending</span
										>{/if}{:else}{text}{/if}
							</td>
						{/each}
					</tr>
				{:else}
					<tr
						><td colspan={columns.length + 1} class="text-quiet"
							>{data.find
								? 'No record has this in its name.'
								: `No ${type.plural.toLowerCase()} yet. Make the first one, or import a file.`}</td
						></tr
					>
				{/each}
			</tbody>
		</table>
	</div>
	<div class="mt-2 flex items-center gap-4 text-sm">
		{#if data.page > 0}<a class="textlink" href={at(data.page - 1)}>Newer</a>{/if}
		<span class="text-quiet"
			>Page {data.page + 1} of {formatCount(data.pages)}; values in brass were written by a rule</span
		>
		{#if data.page + 1 < data.pages}<a class="textlink" href={at(data.page + 1)}>Older</a>{/if}
	</div>
</div>
