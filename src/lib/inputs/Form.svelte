<script lang="ts">
	/**
	 * A form that is checked before it is sent, by what the server checks after. What is wrong is told
	 * below it and marked at its input, what was typed stays, and it is not sent twice.
	 */
	import { applyAction, enhance } from '$app/forms';
	import { page } from '$app/state';
	import { onMount, tick, untrack, type Snippet } from 'svelte';
	import { readForm, type FormFaults, type FormName } from '$door/forms';
	import { tell } from '../shell/notices';

	let {
		name,
		action,
		class: look = '',
		keep = false,
		plain = false,
		children
	}: {
		/** By which its inputs are checked. */
		name: FormName;
		/** Where it goes; without it, to the page's own. */
		action?: string;
		class?: string;
		/** Its inputs keep what was stored; else they are empty again. */
		keep?: boolean;
		/** What was done is not told in a notice of its own. */
		plain?: boolean;
		children: Snippet<[sending: boolean]>;
	} = $props();

	type Refusal = { faults?: FormFaults } | null;

	const uid = $props.id();
	/**
	 * What was wrong where it was sent before the page had come to life, or without scripts: the page then comes back
	 * with it. Only the page's own form knows that it was the one.
	 */
	const before = untrack(() => (action ? undefined : (page.form as Refusal)?.faults)) ?? {};
	let faults = $state.raw<FormFaults>(before);
	onMount(() => {
		if (Object.keys(before).length) void show(before);
	});
	let sending = $state(false);
	let form: HTMLFormElement;

	/** Marks what is wrong and goes to the first of it. */
	async function show(found: FormFaults) {
		faults = found;
		await tick();
		let first = true;
		for (const input of form.elements) {
			if (!(input instanceof HTMLElement) || !('name' in input)) continue;
			const wrong = found[input.name as string] !== undefined;
			if (wrong) {
				input.setAttribute('aria-invalid', 'true');
				input.setAttribute('aria-describedby', `${uid}-faults`);
				if (first) input.focus();
				first = false;
			} else if (input.getAttribute('aria-describedby') === `${uid}-faults`) {
				input.removeAttribute('aria-invalid');
				input.removeAttribute('aria-describedby');
			}
		}
	}
</script>

<form
	bind:this={form}
	method="POST"
	{action}
	class={look}
	novalidate
	aria-busy={sending}
	use:enhance={({ formData, cancel }) => {
		const read = readForm(name, formData);
		if (sending || !read.ok) {
			cancel();
			if (!read.ok) void show(read.faults);
			return;
		}
		sending = true;
		return async ({ result, update }) => {
			sending = false;
			if (result.type === 'failure') {
				await show((result.data?.faults as FormFaults) ?? { '': String(result.data?.message) });
				return;
			}
			await show({});
			if (result.type === 'success') {
				await update({ reset: !keep });
				if (!plain && typeof result.data?.done === 'string') tell(result.data.done);
			} else await applyAction(result);
		};
	}}
>
	{@render children(sending)}
	{#if Object.keys(faults).length}<p
			id="{uid}-faults"
			class="mt-1 w-full text-sm text-brick"
			role="alert"
		>
			● {Object.values(faults).join(' ')}
		</p>{/if}
</form>
