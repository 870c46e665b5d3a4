<script lang="ts">
	/** What speaks of a part of the model, each a way there. */
	import { speakersOf, type ModelPart, type Speaker } from '$core';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		part,
		none = 'Nothing speaks of it.'
	}: {
		part: ModelPart;
		/** What is said where nothing does. */
		none?: string;
	} = $props();

	const w = useWorkbench();
	const all = $derived(speakersOf(w.schema, w.draft, w.trials.all, part));
	const MOST = 8;
	let whole = $state(false);
	const shown = $derived(whole ? all : all.slice(0, MOST));
	function href(s: Speaker): string | null {
		switch (s.kind) {
			case 'rule':
				return `/write/${s.at!.type}/${s.at!.field}#rule-${s.id}`;
			case 'definition':
				return `/definitions#definition-${s.id}`;
			case 'table':
				return `/tables/${s.id}`;
			case 'trial':
				return `/try#${s.id}`;
			case 'field':
				return `/model/${s.at!.type}/${s.at!.field}`;
			default:
				return null;
		}
	}
	const KIND: Record<Speaker['kind'], string> = {
		rule: 'rule',
		definition: 'definition',
		table: 'table',
		trial: 'trial',
		form: 'record type',
		field: 'field',
		workspace: ''
	};
</script>

{#if all.length}
	<ul class="text-sm" aria-label="What speaks of it">
		{#each shown as s (`${s.kind} ${s.id} ${s.how}`)}
			{@const to = href(s)}
			<li class="flex flex-wrap items-baseline gap-x-2">
				<span class="text-quiet">{KIND[s.kind]}</span>
				{#if to}<a class="textlink" href={to}>{s.name}</a>{:else}<span>{s.name}</span>{/if}
				<span class="text-quiet">{s.how}</span>
			</li>
		{/each}
	</ul>
	{#if all.length > MOST}<button class="textlink text-sm" onclick={() => (whole = !whole)}
			>{whole ? 'Fewer' : `All ${all.length}`}</button
		>{/if}
{:else}
	<p class="text-sm text-quiet">{none}</p>
{/if}
