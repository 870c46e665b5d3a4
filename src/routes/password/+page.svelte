<script lang="ts">
	import Form from '$lib/inputs/Form.svelte';
	import PasswordInputs from '$lib/inputs/PasswordInputs.svelte';

	let { data } = $props();
</script>

<svelte:head><title>A password of your own · Rigid Rule</title></svelte:head>
<main class="grid min-h-dvh place-items-center p-6">
	<div class="w-full max-w-sm border border-line bg-sheet">
		<div class="ticks"></div>
		<div class="p-6">
			<h1 class="text-xl">A password of your own</h1>
			<p class="mt-1 text-quiet">
				{data.name}, somebody told you the one you have. Choose one that only you know; then
				everything is open.
			</p>
			<Form name="password" class="mt-3 grid gap-2">
				<PasswordInputs old="The password you were told" />
				<div><button class="button main">Change it and go on</button></div>
			</Form>
			<form method="POST" action="/sign-out" class="mt-2">
				<button class="textlink text-sm">Sign out</button>
			</form>
		</div>
	</div>
</main>
