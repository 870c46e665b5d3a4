<script lang="ts">
	/**
	 * A form that is checked before it is sent, by what the server checks after. What is wrong is told
	 * below it and marked at its input, what was typed stays, and it is not sent twice.
	 */
	import { applyAction, enhance } from '$app/forms';
	import { page } from '$app/state';
	import { onMount, tick, untrack, type Snippet } from 'svelte';
	import { readForm, type FormFaults, type FormName } from '$door/forms';
	import { otherNow, type Shown } from '$door/shown';
	import { tell } from '../shell/notices';

	let {
		name,
		action,
		class: look = '',
		keep = false,
		plain = false,
		shown,
		says = (_, value) => value,
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
		/** What its inputs hold of what is stored: where that is something else by then, whoever sends it hears so first. */
		shown?: Shown;
		/** What is stored in one of its inputs, in words. */
		says?: (input: string, value: string) => string;
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
	/**
	 * What whoever sends it has seen of what is stored: what stood when it was opened, since what is typed stays when the page
	 * loads again.
	 */
	let seen = $state.raw(untrack(() => shown));
	/** What somebody stored since, in words; sent once more, the form takes its place. */
	function storedSince(now: Shown): string {
		const other = otherNow(seen ?? {}, now).map((k) => says(k, now[k]));
		seen = now;
		return `Somebody stored something else here since the page was opened: ${other.join('; ')}. Nothing of yours is stored. Store it once more to put it in the place of that.`;
	}
	let form: HTMLFormElement;

	/** Marks what is wrong and goes to the first of it. */
	async function show(found: FormFaults) {
		faults = found;
		await tick();
		let first = true;
		for (const input of form.elements) {
			if (!(input instanceof HTMLElement) || !('name' in input)) continue;
			// what is wrong of all of it is at no input, and least of all at one without a name
			const wrong = input.name !== '' && found[input.name as string] !== undefined;
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
				const now = result.data?.now as Shown | undefined;
				await show(
					now
						? { '': storedSince(now) }
						: ((result.data?.faults as FormFaults) ?? { '': String(result.data?.message) })
				);
				return;
			}
			await show({});
			if (result.type === 'success') {
				await update({ reset: !keep });
				seen = shown;
				if (!plain && typeof result.data?.done === 'string') tell(result.data.done);
			} else await applyAction(result);
		};
	}}
>
	{#if seen}<input type="hidden" name="shown" value={JSON.stringify(seen)} />{/if}
	{@render children(sending)}
	{#if Object.keys(faults).length}<p
			id="{uid}-faults"
			class="mt-1 w-full text-sm text-brick"
			role="alert"
		>
			● {Object.values(faults).join(' ')}
		</p>{/if}
</form>
