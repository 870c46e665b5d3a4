<script lang="ts">
	/** Everything that decides values as one file: taken out, or taken in from another workspace after a look. */
	import { onMount } from 'svelte';
	import ModelStep from '$lib/bundle/ModelStep.svelte';
	import RulesStep from '$lib/bundle/RulesStep.svelte';
	import { Taking } from '$lib/bundle/taking.svelte';
	import Choose from '$lib/inputs/Choose.svelte';
	import { formatMoment } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	let of = $state('draft');
	let t = $state.raw<Taking | null>(null);
	let file = $state('');
	let reading = $state(false);
	let trouble = $state<string | null>(null);
	let done = $state<string | null>(null);
	// what is in the draft is compared with trials too
	onMount(() => w.trials.run());
	/** The most that a file may hold, in characters. */
	const MOST = 60_000_000;

	async function read(e: Event & { currentTarget: HTMLInputElement }) {
		const given = e.currentTarget.files?.[0];
		if (!given) return;
		trouble = done = null;
		t = null;
		file = given.name;
		reading = true;
		try {
			// what comes from outside is checked, by what the server checks it with; loaded for this alone
			const { checkBundle, parseJson } = await import('../../../door');
			t = new Taking(checkBundle(parseJson(await given.text(), 'The file', MOST)), w);
			t.pastModel = !t.offers.length && !t.noted.length;
		} catch (err) {
			trouble = `${given.name}: ${(err as Error).message}`;
		} finally {
			reading = false;
		}
	}
	const made = (iso: string) =>
		Number.isNaN(Date.parse(iso)) ? iso : formatMoment(iso, w.model.zone);
	const numbers = $derived(
		t && [
			[t.bundle.set.rules.length, 'rule', 'rules'],
			[t.bundle.set.definitions?.length ?? 0, 'definition', 'definitions'],
			[t.bundle.set.tables?.length ?? 0, 'table', 'tables'],
			[t.bundle.trials.length, 'trial', 'trials'],
			[t.bundle.model.types.length, 'record type', 'record types'],
			[t.bundle.model.lists.length, 'option list', 'option lists']
		]
	);
</script>

<svelte:head><title>Bundle · Rigid Rule</title></svelte:head>

<div class="max-w-5xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Bundle</h1>
	<p class="mt-1 max-w-3xl text-quiet">
		Rules, definitions, tables, trials and the model they speak of as one file: for another
		workspace, for version control, for checks without a server.
	</p>
	<div class="ticks mt-2"></div>
	<div class="mt-2 flex flex-wrap items-center gap-3">
		<span class="font-medium">Take out</span>
		<Choose
			label="Which rules"
			value={of}
			choices={[
				{ value: 'draft', label: 'the draft' },
				...data.releases.map((r) => ({ value: String(r.number), label: `release ${r.number}` }))
			]}
			onpick={(v) => (of = v)}
		/>
		<a class="button" href="/bundles?of={of}" download="bundle-{of}.json">Download</a>
		<span class="text-sm text-quiet"
			>with the rows of living tables as they stand, and name and key of each record that rules name</span
		>
	</div>
	<div class="mt-3 flex flex-wrap items-center gap-3">
		<label class="font-medium" for="bundle-file">Take one in</label>
		<input
			id="bundle-file"
			type="file"
			class="text-sm file:mr-2 file:min-h-8 file:border file:border-field-line file:bg-sheet file:px-3"
			accept="application/json,.json"
			onclick={(e) => (e.currentTarget.value = '')}
			onchange={(e) => void read(e)}
		/>
		<span class="text-sm text-quiet">it is looked at first; nothing is changed by that</span>
	</div>
	{#if reading}<p class="mt-2" role="status">… {file} is being read</p>{/if}
	{#if trouble}<p class="mt-2 text-brick" role="alert">● {trouble}</p>{/if}
	{#if done}
		<p class="mt-4" role="status">✓ {done}</p>
		<p class="mt-1 flex gap-4">
			<a class="textlink" href="/check">What can be proven wrong</a>
			<a class="textlink" href="/try">Trials</a>
			<a class="textlink" href="/release">Release</a>
		</p>
	{/if}
	{#if t && numbers}
		<h2 class="mt-6 text-base">{t.bundle.name}{t.bundle.of ? ` of ${t.bundle.of}` : ''}</h2>
		<p class="text-sm text-quiet">
			{file}{#if t.bundle.made}, made {made(t.bundle.made)}{/if}:
			{numbers
				.filter(([n]) => n)
				.map(([n, one, many]) => `${n} ${n === 1 ? one : many}`)
				.join(', ')}
		</p>
		<div class="ticks mt-1"></div>
		<ModelStep {t} />
		{#if t.pastModel}<RulesStep
				{t}
				ontaken={(said) => {
					done = said;
					t = null;
				}}
			/>{/if}
	{/if}
</div>
