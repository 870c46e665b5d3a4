<script lang="ts">
	/** Where the ledger stands on other pages: record types and option lists, and new ones of both. */
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { withNewList, withNewType, withTypeAt, type ModelFault } from '$core';
	import { Reorder } from '../grid/reorder.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	const w = useWorkbench();
	const uid = $props.id();
	let adding = $state<'type' | 'list' | null>(null);
	let one = $state('');
	let several = $state('');
	let faults = $state.raw<readonly ModelFault[]>([]);
	const here = $derived(page.url.pathname);

	const order = new Reorder({
		items: () => w.model.types,
		label: () => 'the record types',
		disabled: () => !w.canEdit,
		move: (from, to) =>
			void w.editModel('order of record types', withTypeAt(w.model, w.model.types[from].id, to))
	});
	function begin(what: 'type' | 'list') {
		adding = what;
		one = several = '';
		faults = [];
	}
	async function add(e: SubmitEvent) {
		e.preventDefault();
		const name = one.trim();
		const [model, id] =
			adding === 'type'
				? withNewType(w.model, name, several.trim() || `${name}s`)
				: withNewList(w.model, name);
		const type = adding === 'type';
		faults = await w.editModel(type ? 'new record type' : 'new option list', model);
		if (faults.length) return;
		adding = null;
		await goto(type ? `/model/${id}` : `/options/${id}`);
	}
	const focus = (node: HTMLInputElement) => node.focus();
</script>

{#snippet naming()}
	<form class="grid gap-2 px-4 py-2 text-sm" onsubmit={(e) => void add(e)} novalidate>
		<label
			>{adding === 'type' ? 'One of them is a' : 'Name of the list'}<br /><input
				class="box w-full"
				bind:value={one}
				maxlength="80"
				placeholder={adding === 'type' ? 'Greenhouse' : 'Glazing'}
				aria-invalid={faults.length ? true : undefined}
				aria-describedby={faults.length ? `${uid}-fault` : undefined}
				onkeydown={(e) => e.key === 'Escape' && (adding = null)}
				use:focus
			/></label
		>
		{#if adding === 'type'}<label
				>Several are<br /><input
					class="box w-full"
					bind:value={several}
					maxlength="80"
					placeholder={one.trim() ? `${one.trim()}s` : 'Greenhouses'}
				/></label
			>{/if}
		{#if faults.length}<p id="{uid}-fault" class="text-brick" role="alert">
				● {faults[0].message}
			</p>{/if}
		<span class="flex gap-3"
			><button class="button">Add it</button><button
				type="button"
				class="textlink"
				onclick={() => (adding = null)}>Leave it</button
			></span
		>
	</form>
{/snippet}

<nav class="h-full overflow-auto pt-3 pb-4" aria-label="The model">
	<h2 class="px-4 pb-1 text-lg">Record types</h2>
	<div use:order.zone={w.canEdit}>
		{#each order.shown as t, i (t.id)}
			<div
				class="row"
				class:current={here.startsWith(`/model/${t.id}/`) || here === `/model/${t.id}`}
				data-dragged={t.id}
			>
				<a
					class="grow no-underline"
					href="/model/{t.id}"
					aria-current={here === `/model/${t.id}` ? 'page' : undefined}>{t.label}</a
				>
				<span class="mono text-quiet">{t.fields.filter((f) => !f.retired).length}</span>
				{#if w.canEdit}<span
						class="grip cursor-grab text-quiet"
						{...order.handle(i, t.label)}
						aria-hidden={undefined}>⠿</span
					>{/if}
			</div>
		{/each}
	</div>
	{#if adding === 'type'}{@render naming()}{:else if w.canEdit}<button
			class="textlink px-4 text-sm"
			onclick={() => begin('type')}>New record type</button
		>{/if}
	<h2 class="px-4 pt-3 pb-1 text-lg">Option lists</h2>
	{#each w.model.lists as l (l.id)}
		<a
			class="row no-underline"
			class:current={here === `/options/${l.id}`}
			aria-current={here === `/options/${l.id}` ? 'page' : undefined}
			href="/options/{l.id}"
			><span class="grow">{l.label}</span><span class="mono text-quiet"
				>{l.options.filter((o) => !o.retired).length}</span
			></a
		>
	{/each}
	{#if adding === 'list'}{@render naming()}{:else if w.canEdit}<button
			class="textlink px-4 text-sm"
			onclick={() => begin('list')}>New option list</button
		>{/if}
	<h2 class="px-4 pt-3 pb-1 text-lg">Rules</h2>
	<a class="row no-underline" href="/">Back to the sheet</a>
</nav>

<style>
	.row {
		display: flex;
		align-items: center;
		gap: 8px;
		min-height: 26px;
		padding: 0 16px;
		border-left: 3px solid transparent;
	}
	.row:hover {
		background: var(--color-panel);
	}
	.current {
		background: var(--color-sheet);
		border-left-color: var(--color-ink);
		font-weight: 600;
	}
	.grip {
		display: inline-grid;
		place-items: center;
		min-width: 24px;
		min-height: 24px;
		margin-right: -8px;
	}
</style>
