<script lang="ts">
	import { page } from '$app/state';
	import RecordForm from '$lib/record/RecordForm.svelte';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { params } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(params.type).type);
	const short = $derived(page.url.searchParams.get('form') === 'short');
</script>

<svelte:head><title>New {type.label.toLowerCase()} · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-4">
	<div class="mb-2 flex items-baseline gap-3">
		<h1 class="text-xl">New {type.label.toLowerCase()}</h1>
		<span class="grow"></span>
		<a class="textlink" class:font-semibold={!short} href="?">full form</a>
		<a class="textlink" class:font-semibold={short} href="?form=short">short form</a>
	</div>
	{#key `${params.type} ${short}`}
		<RecordForm
			type={params.type}
			id={null}
			version={0}
			values={{}}
			setBy={{}}
			links={{}}
			{short}
			inLine={true}
		/>
	{/key}
</div>
