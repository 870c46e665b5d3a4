<script lang="ts">
	import { onMount, tick } from 'svelte';
	import { replaceState } from '$app/navigation';
	import Form from '$lib/inputs/Form.svelte';

	let { data, form } = $props();

	// what stands behind the # never reaches the server: it goes back with the rest of the address
	onMount(() => {
		const { hash, search } = location;
		const to = new URLSearchParams(search).get('to');
		if (!hash || !to || to.includes('#')) return;
		const q = new URLSearchParams({ to: to + hash });
		void tick().then(() => replaceState(`${location.pathname}?${q}`, {}));
	});
</script>

<svelte:head><title>Sign in · Rigid Rule</title></svelte:head>

<main class="grid min-h-dvh place-items-center p-6">
	<div class="w-full max-w-sm border border-line bg-sheet">
		<div class="ticks"></div>
		<Form name="signIn" class="p-6" keep plain>
			{#snippet children(sending)}<h1 class="text-xl">Rigid Rule</h1>
				<p class="text-quiet">Rules for the fields of customers, leads and deals.</p>
				<label class="mt-4 block text-sm font-medium" for="email">E-mail</label>
				<input
					id="email"
					name="email"
					type="email"
					required
					autocomplete="username"
					class="box mt-1 w-full"
					defaultValue={form?.email ?? ''}
				/>
				<label class="mt-3 block text-sm font-medium" for="password">Password</label>
				<input
					id="password"
					name="password"
					type="password"
					required
					autocomplete="current-password"
					class="box mt-1 w-full"
				/>
				<button class="button main mt-4 w-full justify-center" disabled={sending}>Sign in</button>
			{/snippet}
		</Form>
		{#if data.nobody}<p class="border-t border-hairline px-6 py-3 text-sm">
				Nobody can sign in yet. <a class="textlink" href="/first">Make the first administrator</a> with
				the code that stands in the log.
			</p>{/if}
		{#if data.demo}<p class="border-t border-hairline bg-ochre-wash px-6 py-3 text-sm">
				▲ This is the demo: its passwords are known to everyone. Keep nothing real in it.
			</p>{/if}
	</div>
</main>
