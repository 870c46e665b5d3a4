<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import { onMount } from 'svelte';

	const passing = $derived(page.error?.again !== undefined);
	/** The page comes back by itself once the server can work again. */
	onMount(() => {
		if (!passing) return;
		const timer = setInterval(
			() => {
				void fetch('/ready').then(
					(r) => {
						if (r.ok) void invalidateAll();
					},
					() => undefined
				);
			},
			(page.error?.again ?? 3) * 1000
		);
		return () => clearInterval(timer);
	});
</script>

<svelte:head><title>{page.status} · Rigid Rule</title></svelte:head>
<div class="max-w-xl px-6 pt-6">
	<h1 class="text-xl">{page.error?.message}</h1>
	<p class="mono text-quiet">{page.status} {page.url.pathname}</p>
	{#if passing}
		<p class="mt-2" role="status">What you edited is kept. This page comes back by itself.</p>
	{/if}
	<p class="mt-4 flex gap-3">
		{#if page.status >= 500}<button class="button" onclick={() => void invalidateAll()}
				>Try again</button
			>{/if}
		<a class="button" href="/">To the first sheet</a>
	</p>
</div>
