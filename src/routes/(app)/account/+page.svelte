<script lang="ts">
	import Form from '$lib/inputs/Form.svelte';
	import PasswordInputs from '$lib/inputs/PasswordInputs.svelte';
	import { formatMoment } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	/** What a browser says of itself, as people know it. */
	const browser = (agent: string | null) =>
		/Firefox|Edg|OPR|Chrome|Safari/.exec(agent ?? '')?.[0]?.replace('Edg', 'Edge') ?? 'a program';
	const others = $derived(data.sessions.filter((s) => !s.here).length);
</script>

<svelte:head><title>{w.account.name} · Rigid Rule</title></svelte:head>

<div class="max-w-3xl px-6 pt-3 pb-10">
	<h1 class="text-xl">{w.account.name}</h1>
	<p class="text-quiet">{w.account.email}, {w.account.role}</p>
	<section class="mt-3 border border-line bg-sheet p-5">
		<h2 class="text-lg">Your password</h2>
		<Form name="password" action="?/password" class="mt-2 grid max-w-sm gap-2">
			<PasswordInputs />
			<div><button class="button">Change it</button></div>
		</Form>
	</section>
	<section class="mt-4 border border-line bg-sheet p-5">
		<h2 class="text-lg">Where you are signed in</h2>
		<table class="grid-table mt-2 text-sm" aria-label="Sessions">
			<thead
				><tr
					><th>Since</th><th>From</th><th>With</th><th
						><span class="sr-only">What can be done</span></th
					></tr
				></thead
			>
			<tbody>
				{#each data.sessions as s (s.id)}
					<tr>
						<td>{formatMoment(s.begun, w.model.zone)}</td>
						<td class="mono">{s.address ?? 'not known'}</td>
						<td>{browser(s.agent)}</td>
						<td
							>{#if s.here}<span class="text-quiet">this one</span>{:else}<Form
									name="session"
									action="?/end"
									><input type="hidden" name="id" value={s.id} /><button class="textlink"
										>End it</button
									></Form
								>{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
		{#if others > 1}<Form name="session" action="?/end" class="mt-2"
				><input type="hidden" name="id" value="" /><button class="textlink">End all others</button
				></Form
			>{/if}
	</section>
</div>
