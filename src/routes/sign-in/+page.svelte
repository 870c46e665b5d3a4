<script lang="ts">
	import { enhance } from '$app/forms';
	let { form } = $props();
</script>

<svelte:head><title>Sign in · Rigid Rule</title></svelte:head>

<main class="grid min-h-dvh place-items-center p-6">
	<form method="POST" class="w-full max-w-sm border border-line bg-sheet" use:enhance>
		<div class="ticks"></div>
		<div class="p-6">
			<h1 class="text-xl">Rigid Rule</h1>
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
				aria-describedby={form?.message ? 'trouble' : undefined}
			/>
			{#if form?.message}<p id="trouble" class="mt-2 text-brick" role="alert">
					● {form.message}
				</p>{/if}
			<button class="button main mt-4 w-full justify-center">Sign in</button>
		</div>
	</form>
</main>
