<script lang="ts">
	/** The named lists of a record type: which one it is, kept under a name, changed, removed. */
	import { goto, invalidateAll } from '$app/navigation';
	import { tick } from 'svelte';
	import { EVERYTHING, sameList, type ListAsked } from '$door/lists';
	import type { View } from '$server/db/views';
	import Choose from '../inputs/Choose.svelte';
	import { tell } from '../shell/notices';
	import { Refused, ask } from '../work/http';

	let {
		type,
		plural,
		views,
		view,
		asked,
		mayKeep
	}: {
		type: string;
		plural: string;
		views: readonly (View & { mine: boolean })[];
		/** Number of the one that is shown, whatever was changed in it since. */
		view: string | null;
		asked: ListAsked;
		mayKeep: boolean;
	} = $props();

	const shown = $derived(views.find((v) => v.id === view) ?? null);
	const moved = $derived(!sameList(asked, shown ? { ...EVERYTHING, ...shown.list } : EVERYTHING));
	const address = (id: string) => `/records/${type}${id ? `?view=${id}` : ''}`;
	let naming = $state(false);
	let name = $state('');
	let trouble = $state<string | null>(null);
	let busy = $state(false);
	let box = $state<HTMLInputElement>();
	let begin = $state<HTMLButtonElement>();

	async function send<T>(work: () => Promise<T>): Promise<T | null> {
		busy = true;
		trouble = null;
		try {
			return await work();
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; nothing was kept.' : e.message;
			return null;
		} finally {
			busy = false;
		}
	}
	async function startNaming() {
		naming = true;
		name = '';
		trouble = null;
		await tick();
		box?.focus();
	}
	async function keep() {
		const called = name.trim();
		if (!called) return;
		const body = { type, name: called, list: asked };
		const made = await send(() => ask<{ id: string }>('/views', { method: 'POST', body }));
		if (!made) return;
		naming = false;
		tell(`Kept as the view “${called}”, for everybody.`);
		await goto(address(made.id), { keepFocus: true });
	}
	async function save() {
		const { id, version, name: called } = shown!;
		const body = { version, name: called, list: asked };
		const done = await send(() => ask(`/views/${id}`, { method: 'PUT', body }));
		if (done === null) return;
		tell(`The view “${called}” was changed.`);
		await goto(address(id), { keepFocus: true, invalidateAll: true });
	}
	async function remove() {
		const { id, name: called, list } = shown!;
		const done = await send(() => ask(`/views/${id}`, { method: 'DELETE' }));
		if (done === null) return;
		await goto(address(''), { keepFocus: true });
		tell(`The view “${called}” was removed.`, {
			label: 'Keep it',
			do: () =>
				void ask('/views', { method: 'POST', body: { type, name: called, list } }).then(
					invalidateAll,
					(e: Error) => tell(e.message)
				)
		});
	}
	async function stop() {
		naming = false;
		trouble = null;
		await tick();
		begin?.focus();
	}
</script>

<span class="flex flex-wrap items-center gap-2 text-sm">
	<Choose
		value={view ?? ''}
		choices={[
			{ value: '', label: `All ${plural.toLowerCase()}` },
			...views.map((v) => ({ value: v.id, label: v.name }))
		]}
		label="View"
		class="max-w-64"
		onpick={(id) => void goto(address(id), { keepFocus: true })}
	/>
	{#if moved && shown}<span class="text-quiet">changed</span>{/if}
	{#if naming}
		<form
			class="flex items-center gap-2"
			onsubmit={(e) => {
				e.preventDefault();
				void keep();
			}}
		>
			<input
				class="box w-48"
				aria-label="Name of the view"
				placeholder="Lost after negotiation"
				maxlength="80"
				bind:this={box}
				bind:value={name}
				onkeydown={(e) => {
					if (e.key !== 'Escape') return;
					e.stopPropagation();
					void stop();
				}}
			/>
			<button class="button" disabled={busy || !name.trim()}>Keep</button>
			<button type="button" class="textlink" onclick={() => void stop()}>Cancel</button>
		</form>
	{:else if mayKeep}
		{#if moved && shown?.mine}<button class="textlink" disabled={busy} onclick={() => void save()}
				>Save the view</button
			>{/if}
		{#if moved}<button class="textlink" bind:this={begin} onclick={() => void startNaming()}
				>Keep as a view</button
			>{/if}
		{#if !moved && shown?.mine}<button
				class="textlink text-quiet"
				disabled={busy}
				onclick={() => void remove()}>Remove the view</button
			>{/if}
	{/if}
	{#if trouble}<span class="text-brick" role="alert">● {trouble}</span>{/if}
</span>
