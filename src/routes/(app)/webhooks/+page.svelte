<script lang="ts">
	/** Addresses that are told of changes of records. */
	import Form from '$lib/inputs/Form.svelte';
	import HookInputs from '$lib/outside/HookInputs.svelte';
	import Secret from '$lib/outside/Secret.svelte';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { loadAgain } from '$lib/outside/again';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, form } = $props();
	const w = useWorkbench();
	const at = (iso: string) => formatMoment(iso, w.model.zone);
	const types = (t: readonly string[] | null) =>
		t ? t.map((id) => w.schema.types.get(id)?.type.plural ?? id).join(', ') : 'all';
	/** Its secret is shown once, until the page is left. */
	let made = $state.raw<{ id: string; secret: string } | null>(null);
	$effect(() => {
		if (form && 'made' in form && form.made) made = form.made;
	});
	loadAgain('app:outside', () => data.hooks.some((h) => h.waiting > 0));
</script>

<svelte:head><title>Webhooks · Rigid Rule</title></svelte:head>

<div class="max-w-6xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Webhooks</h1>
	<p class="max-w-3xl text-quiet">
		Other systems are told of each change of a record: what changed, by which rule, and why. It
		leaves when the change is kept and never without it, is signed, tried again for three days, and
		comes in order for each record.
	</p>
	{#if made}
		<Secret
			secret={made.secret}
			says="The secret by which the receiver knows that it comes from here. It is shown this once:"
		/>
	{/if}
	<div class="ticks mt-3"></div>
	<table class="grid-table text-sm">
		<thead
			><tr
				><th>Name</th><th>Tells</th><th>Of</th><th>State</th><th class="num">Waiting</th><th
					class="num">Not taken</th
				><th class="num">Taken</th><th>Last taken</th></tr
			></thead
		>
		<tbody>
			{#each data.hooks as h (h.id)}
				{@const lost = h.refused + h['given up']}
				<tr>
					<td><a class="textlink" href="/webhooks/{h.id}">{h.name}</a></td>
					<td class="break-all">{h.address ?? 'the receiver that ships with Rigid Rule'}</td>
					<td>{types(h.types)}</td>
					<td class="whitespace-nowrap"
						>{#if h.state === 'off'}<span class={h.offBecause ? 'text-brick' : 'text-quiet'}
								>○ off</span
							>{:else if h.state === 'paused'}<span class="text-ochre">▮▮ paused</span
							>{:else if h.failed}<span class="text-brick"
								>● {h.failed}
								{h.failed === 1 ? 'attempt' : 'attempts'} failed</span
							>{:else}<span class="text-teal">✓ on</span>{/if}</td
					>
					<td class="mono num">{formatCount(h.waiting)}</td>
					<td class="mono num" class:text-brick={lost}>{formatCount(lost)}</td>
					<td class="mono num">{formatCount(Number(h.taken))}</td>
					<td class="whitespace-nowrap">{h.lastTaken ? at(h.lastTaken) : 'never'}</td>
				</tr>
			{:else}
				<tr><td colspan="8" class="text-quiet">Nobody is told yet.</td></tr>
			{/each}
		</tbody>
	</table>
	{#if w.may('operate')}
		<section class="mt-5 border border-line bg-sheet p-5" aria-labelledby="new-h">
			<h2 id="new-h">A new webhook</h2>
			<Form name="hook" action="?/make" class="mt-2 grid gap-3" keep>
				{#key made?.id}<HookInputs />{/key}
				<div><button class="button">Make it</button></div>
			</Form>
		</section>
	{:else}
		<p class="mt-3 text-sm text-quiet">Operators and administrators make and change them.</p>
	{/if}
	<p class="mt-4 max-w-3xl text-sm text-quiet">
		For whoever writes a receiver: the body is an event of CloudEvents 1.0, signed by Standard
		Webhooks. Answer 2xx within ten seconds; take each <span class="mono">webhook-id</span> once.
		<span class="mono">data.version</span> grows with each change of a record.
	</p>
</div>
