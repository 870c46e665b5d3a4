<script lang="ts">
	/** A field that a record type does not have yet. */
	import { tick } from 'svelte';
	import { goto } from '$app/navigation';
	import {
		freeOtherSide,
		newModelFaults,
		withNewField,
		type Field,
		type ModelFault,
		type RecordType
	} from '$core';
	import { tell } from '../shell/notices';
	import { useWorkbench } from '../work/workbench.svelte';
	import NatureInputs from './NatureInputs.svelte';
	import { natureOf, type Nature } from './kinds';

	let {
		type,
		heading,
		onclose
	}: {
		type: RecordType;
		/** Under which it comes, unless another is said. */
		heading: string;
		onclose: () => void;
	} = $props();
	const w = useWorkbench();
	const uid = $props.id();

	let label = $state('');
	// svelte-ignore state_referenced_locally
	let group = $state(heading);
	let nature = $state.raw<Nature>(natureOf('text', w.model));
	let faults = $state.raw<readonly ModelFault[]>([]);
	let tried = $state(false);

	const made = $derived.by(() => {
		const text = label.trim();
		const link = nature.type === 'link' && nature.target;
		const field: Omit<Field, 'id'> = {
			...nature,
			label: text,
			group: group.trim(),
			...(link
				? {
						inverse:
							nature.inverse?.trim() ||
							freeOtherSide(w.model, link, { type: type.id, field: '', label: text })
					}
				: {})
		};
		return withNewField(w.model, type.id, field);
	});
	const all = $derived(tried ? [...newModelFaults(w.model, made[0]), ...faults] : faults);
	const wrong = $derived(
		Object.fromEntries(all.map((f) => [f.path.at(-1) ?? '', f.message])) as Partial<
			Record<keyof Field, string>
		>
	);
	const rest = $derived(all.find((f) => !f.path.length));

	async function add(e: SubmitEvent) {
		e.preventDefault();
		tried = true;
		const form = e.currentTarget as HTMLFormElement;
		const [model, id] = made;
		const refused = await w.editModel('new field', model);
		if (refused.length) {
			// what the model itself says is told while it is typed; the rest until something is
			faults = newModelFaults(w.model, model).length ? [] : refused;
			await tick();
			form.querySelector<HTMLElement>('[aria-invalid=true]')?.focus();
			return;
		}
		tried = false;
		tell(`${type.label} has the field “${label.trim()}” now.`);
		await goto(`/model/${type.id}/${id}`);
		onclose();
	}
	const focus = (node: HTMLInputElement) => node.focus();
</script>

<h2 class="text-lg">A new field of {type.label}</h2>
<form class="mt-2 grid gap-3" onsubmit={(e) => void add(e)} novalidate>
	<label class="text-sm"
		>New field<br /><input
			class="box w-full"
			bind:value={label}
			maxlength="80"
			oninput={() => (faults = [])}
			aria-invalid={wrong.label ? true : undefined}
			aria-describedby={wrong.label ? `${uid}-label` : undefined}
			use:focus
		/></label
	>
	{#if wrong.label}<p id="{uid}-label" class="-mt-2 text-sm text-brick" role="alert">
			● {wrong.label}
		</p>{/if}
	<NatureInputs
		{nature}
		{type}
		model={w.model}
		{label}
		faults={wrong}
		onset={(n) => {
			nature = n;
			faults = [];
		}}
	/>
	<label class="text-sm"
		>Heading<br /><input
			class="box w-full"
			bind:value={group}
			maxlength="80"
			list="headings"
			aria-invalid={wrong.group ? true : undefined}
		/></label
	>
	{#if wrong.group}<p class="-mt-2 text-sm text-brick" role="alert">● {wrong.group}</p>{/if}
	{#if rest}<p class="text-sm text-brick" role="alert">● {rest.message}</p>{/if}
	<div class="flex items-center gap-3">
		<button class="button main">Add the field</button>
		<button type="button" class="textlink" onclick={onclose}>Leave it</button>
	</div>
</form>
