<script lang="ts">
	import { page } from '$app/state';
</script>

<svelte:head><title>{page.status} · Rigid Rule</title></svelte:head>
<main class="grid min-h-dvh place-items-center p-6">
	<div class="max-w-md border border-line bg-sheet">
		<div class="ticks"></div>
		<div class="p-6">
			<h1 class="text-xl">{page.error?.message}</h1>
			<p class="mono text-quiet">{page.status} {page.url.pathname}</p>
			<a class="button mt-4" href="/">To the first sheet</a>
		</div>
	</div>
</main>
