<script lang="ts">
	import Form from '$lib/inputs/Form.svelte';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, form } = $props();
	const w = useWorkbench();
	const admin = $derived(w.account.role === 'administrator');
</script>

<svelte:head><title>Settings · Rigid Rule</title></svelte:head>

<div class="max-w-5xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Settings</h1>
	<noscript>
		<p class="min-h-6" role="status">
			{#if form && 'message' in form && form.message}<span class="text-brick">● {form.message}</span
				>{:else if form && 'done' in form && form.done}{form.done}{/if}
		</p>
	</noscript>

	{#if admin}
		<section class="mt-4 border border-line bg-sheet p-5">
			<h2>Tokens for the API</h2>
			{#if form && 'token' in form && form.token}
				<p class="mt-2 bg-ochre-wash p-3">
					This token is shown once. Keep it where passwords are kept:<br /><code
						class="mono font-semibold break-all"
						data-testid="token">{form.token}</code
					>
				</p>
			{/if}
			<table class="grid-table mt-2 text-sm">
				<thead><tr><th>Name</th><th>Acts as</th><th>Made</th><th></th></tr></thead>
				<tbody>
					{#each data.tokens as t (t.id)}
						<tr
							><td>{t.name}</td><td>{t.who}</td><td class="mono">{t.created}</td><td
								>{#if t.revoked}<span class="text-quiet">revoked</span>{:else}<Form
										name="revoke"
										action="?/revoke"
									>
										<input type="hidden" name="id" value={t.id} /><button class="textlink"
											>Revoke</button
										>
									</Form>{/if}</td
							></tr
						>
					{:else}<tr><td colspan="4" class="text-quiet">No tokens yet.</td></tr>{/each}
				</tbody>
			</table>
			<Form name="token" action="?/token" class="mt-3 flex items-end gap-2">
				<label class="text-sm"
					>Name of a new token<br /><input
						class="box w-52"
						name="label"
						required
						maxlength="80"
						placeholder="Web shop"
					/></label
				>
				<button class="button">Make a token</button>
			</Form>
		</section>
	{/if}

	<ul class="mt-4 grid gap-1">
		<li><a class="textlink" href="/people">People</a>: who may sign in, and with which role</li>
		<li><a class="textlink" href="/account">Your account</a>: password and sessions</li>
		<li>
			<a class="textlink" href="/model">Model</a>: record types, fields, forms and option lists
		</li>
	</ul>
</div>
