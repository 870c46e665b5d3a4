<script lang="ts">
	/** The first visit: what is wrong in the draft, and where to begin; shown once. */
	import { onMount } from 'svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	const w = useWorkbench();
	const place = 'begun';
	let shown = $state(false);
	onMount(() => {
		shown = localStorage.getItem(place) === null;
	});
	function done() {
		shown = false;
		localStorage.setItem(place, 'yes');
		document.querySelector<HTMLElement>('main h1')?.focus();
	}
	const blocking = $derived(w.found.filter((f) => f.severity === 'blocking').length);
	const failing = $derived(w.trials.all.length - w.trials.held);
	const tried = $derived(w.trials.outcomes.size > 0);
	const worst = $derived(w.found.find((f) => f.severity === 'blocking') ?? w.found[0]);
</script>

{#if shown}
	<section class="mb-4 border border-brass bg-sheet" aria-labelledby="begin">
		<div class="ticks"></div>
		<div class="px-4 py-3 text-sm">
			<div class="flex items-baseline gap-3">
				<h2 id="begin" class="grow font-semibold">Where to begin</h2>
				<button class="textlink" onclick={done}>Do not show this again</button>
			</div>
			<p class="mt-1">
				{#if !w.analysis.analysed}The draft is being looked at …
				{:else}
					The draft differs from what is in force in {w.changes.length}
					{w.changes.length === 1 ? 'place' : 'places'}.
					{#if worst}
						<a class="textlink" href={w.placeOf(worst)}
							>{w.found.length} finding{w.found.length === 1 ? '' : 's'}</a
						>{blocking ? `, ${blocking} of them blocking,` : ''} and
					{:else}Nothing wrong was found in it, and{/if}
					{#if !tried}its trials are being run.{:else if failing}<a class="textlink" href="/try"
							>{failing} of {w.trials.all.length} trials</a
						> do not hold.{:else}all {w.trials.all.length} trials hold.{/if}
				{/if}
			</p>
			<ol class="mt-2">
				<li>
					<b>1</b><span
						>Choose a field on the left: what stands there is how it gets its value.</span
					>
				</li>
				<li>
					<b>2</b><span
						>Change a value of the sample on the right, and see what follows and why. Nothing live
						is touched.</span
					>
				</li>
				<li>
					<b>3</b><span
						>{#if w.canEdit}Choose an underlined word to change a rule, or begin with
							<em>Another rule</em> below it; then follow the ruler above: check, try, rehearse, release.
						{:else}Open <em>Why</em> beside a value to see which part of a rule was true.{/if}</span
					>
				</li>
			</ol>
		</div>
	</section>
{/if}

<style>
	li {
		display: flex;
		gap: 10px;
		padding: 2px 0;
	}
	b {
		font-family: var(--font-mono);
		color: var(--color-brass-ink);
	}
</style>
