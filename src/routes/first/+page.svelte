<script lang="ts">
	import Form from '$lib/inputs/Form.svelte';
</script>

<svelte:head><title>The first administrator · Rigid Rule</title></svelte:head>
<main class="grid min-h-dvh place-items-center p-6">
	<div class="w-full max-w-sm border border-line bg-sheet">
		<div class="ticks"></div>
		<div class="p-6">
			<h1 class="text-xl">The first administrator</h1>
			<p class="mt-1 text-quiet">
				When it started, the server wrote a code into its log. Whoever has it says here who they
				are, once.
			</p>
			<Form name="first" class="mt-3 grid gap-2">
				<label class="text-sm"
					>Code from the log<br /><input
						class="box mono w-full"
						name="code"
						autocomplete="off"
						spellcheck="false"
						required
					/></label
				>
				<label class="text-sm"
					>Your name<br /><input
						class="box w-full"
						name="name"
						maxlength="80"
						autocomplete="name"
						required
					/></label
				>
				<label class="text-sm"
					>E-mail<br /><input
						class="box w-full"
						name="email"
						type="email"
						maxlength="200"
						autocomplete="username"
						required
					/></label
				>
				<label class="text-sm"
					>Password<br /><input
						class="box w-full"
						name="password"
						type="password"
						autocomplete="new-password"
						required
					/></label
				>
				<label class="text-sm"
					>Password once more<br /><input
						class="box w-full"
						name="again"
						type="password"
						autocomplete="new-password"
						required
					/></label
				>
				<div><button class="button main">Make it and sign in</button></div>
			</Form>
		</div>
	</div>
</main>
