<script lang="ts">
	/** What is said of a webhook: its name, whom it tells, and of what. */
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		hook
	}: { hook?: { name: string; address: string | null; types: readonly string[] | null } } =
		$props();
	const w = useWorkbench();
	// svelte-ignore state_referenced_locally
	let to = $state(hook && hook.address !== null ? 'address' : 'stand-in');
	// svelte-ignore state_referenced_locally
	let types = $state<string[]>([...(hook?.types ?? [])]);
	// what is typed stays when something else of it is chosen, or the page is loaded again
	// svelte-ignore state_referenced_locally
	let name = $state(hook?.name ?? '');
	// svelte-ignore state_referenced_locally
	let address = $state(hook?.address ?? '');
</script>

<label class="text-sm"
	>Name<br /><input
		class="box w-52"
		name="name"
		required
		maxlength="80"
		placeholder="Web shop"
		bind:value={name}
	/></label
>
<fieldset class="text-sm">
	<legend>Tells</legend>
	<label class="flex min-h-8 items-center gap-2"
		><input type="radio" name="to" value="stand-in" bind:group={to} /> the receiver that ships with Rigid
		Rule</label
	>
	<label class="flex min-h-8 items-center gap-2"
		><input type="radio" name="to" value="address" bind:group={to} /> another address</label
	>
	{#if to === 'address'}
		<input
			class="box mono mt-1 w-96"
			name="address"
			type="url"
			aria-label="Address"
			placeholder="https://shop.example/records"
			bind:value={address}
		/>
	{/if}
</fieldset>
<fieldset class="text-sm">
	<legend>of records of these types (none: of all)</legend>
	<input type="hidden" name="types" value={types.join(' ')} />
	<span class="flex flex-wrap gap-x-3"
		>{#each w.model.types as t (t.id)}<label class="flex min-h-6 items-center gap-1"
				><input type="checkbox" value={t.id} bind:group={types} /> {t.plural}</label
			>{/each}</span
	>
</fieldset>
