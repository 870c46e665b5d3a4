<script lang="ts">
	/** Records that share what each is to be known by: an import or the API cannot tell them apart. */
	import { onMount } from 'svelte';
	import { formatCount } from '../words/format';
	import { Refused, ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';

	interface Double {
		type: string;
		field: string;
		values: number;
		first: { value: string; ids: string[] }[];
	}
	const w = useWorkbench();
	let doubles = $state.raw<Double[] | null>(null);
	let trouble = $state('');
	onMount(async () => {
		try {
			({ doubles } = await ask<{ doubles: Double[] }>('/look/doubles'));
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
	});
	const plural = (t: string) => w.schema.types.get(t)?.type.plural.toLowerCase() ?? t;
	const label = (d: Double) => w.schema.field(d.type, d.field)?.label ?? d.field;
</script>

<div class="mt-6 mb-1 flex items-center gap-3">
	<h2 class="text-sm whitespace-nowrap">
		In the records{doubles ? ` · ${doubles.length || 'nothing'}` : ''}
	</h2>
	<div class="ticks grow"></div>
</div>
{#if trouble}<p class="text-sm text-brick" role="alert">● {trouble}</p>
{:else if !doubles}<p class="text-sm text-quiet">Looking for records that cannot be told apart …</p>
{:else if !doubles.length}<p class="text-sm text-quiet">
		No two records share a key by which other systems know them.
	</p>
{:else}
	<ul class="text-sm" aria-label="Records that share a key">
		{#each doubles as d (`${d.type}.${d.field}`)}
			<li class="border-b border-hairline py-1">
				<span class="text-ochre" aria-label="advice">▲</span>
				Several {plural(d.type)} have the same
				<a class="textlink" href="/model/{d.type}/{d.field}">{label(d)}</a>:
				{#each d.first as f, i (f.value)}{i ? ', ' : ''}“{f.value}” by {#each f.ids as id, k (id)}{k
							? ' and '
							: ''}<a class="textlink" href="/records/{d.type}/{id}">No. {id}</a
						>{/each}{/each}{d.values > d.first.length
					? `, and ${formatCount(d.values - d.first.length)} more values`
					: ''}. An import or the API that names one of them by it is refused.
			</li>
		{/each}
	</ul>
{/if}
