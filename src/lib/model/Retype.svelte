<script lang="ts">
	/** Giving a field another type: what each value that exists becomes is seen before anything is done. */
	import {
		asType,
		modelEditBetween,
		newModelFaults,
		withField,
		withNewOptions,
		type Field,
		type ModelFault,
		type RecordType
	} from '$core';
	import { formatCount } from '../words/format';
	import { Refused, ask } from '../work/http';
	import { tell } from '../shell/notices';
	import { useWorkbench } from '../work/workbench.svelte';
	import type { RetypeLook } from '../../server/draft/convert';
	import Going from './Going.svelte';
	import NatureInputs from './NatureInputs.svelte';
	import type { Nature } from './kinds';

	let { type, field, onclose }: { type: RecordType; field: Field; onclose: () => void } = $props();
	const w = useWorkbench();

	const kept = (f: Field): Nature => {
		const { type, list, target, inverse, currency, currencyField, unit, places } = f;
		return { type, list, target, inverse, currency, currencyField, unit, places };
	};
	// svelte-ignore state_referenced_locally
	let nature = $state.raw<Nature>(kept(field));
	let look = $state.raw<RetypeLook | null>(null);
	let trouble = $state('');
	let faults = $state.raw<readonly ModelFault[]>([]);
	let busy = $state(false);

	const other = $derived(
		nature.type !== field.type || nature.list !== field.list || nature.target !== field.target
	);
	const next = $derived.by(() => {
		const to = asType(field, JSON.parse(JSON.stringify(nature)) as Nature);
		const gone = Object.fromEntries(Object.keys(field).map((k) => [k, undefined]));
		return withField(w.model, type.id, field.id, { ...gone, ...to });
	});
	const wrong = $derived(
		Object.fromEntries(
			[...newModelFaults(w.model, next), ...faults].map((f) => [f.path.at(-1), f.message])
		) as Partial<Record<keyof Field, string>>
	);
	const stops = $derived(
		newModelFaults(w.model, next).find(
			(f) => f.path.at(-1) === 'title' || f.path.at(-1) === 'currencyField'
		)
	);

	/** Looked at anew whenever something else is wanted; the answer to what is no longer asked is dropped. */
	$effect(() => {
		const model = next;
		look = null;
		trouble = '';
		if (!other || newModelFaults(w.model, model).length) return;
		const stop = new AbortController();
		const { pieces } = modelEditBetween('', w.model, model);
		const timer = setTimeout(() => {
			ask<RetypeLook>('/look/retype', {
				method: 'POST',
				body: { type: type.id, field: field.id, pieces },
				signal: stop.signal
			}).then(
				(l) => (look = l),
				(e: unknown) => {
					if (e instanceof Refused) trouble = e.message;
				}
			);
		}, 150);
		return () => {
			clearTimeout(timer);
			stop.abort();
		};
	});

	/** Texts that would be lost because the list has no such option. */
	const missing = $derived(
		look && (nature.type === 'choice' || nature.type === 'choices') && !field.list
			? look.losses.map((l) => l.has).filter((t) => t.trim() && t.length <= 80)
			: []
	);
	async function addOptions() {
		const labels = missing.flatMap((t) =>
			nature.type === 'choices' ? t.split(';').map((x) => x.trim()) : [t]
		);
		const model = withNewOptions(w.model, nature.list!, labels.filter(Boolean));
		faults = await w.editModel('new options', model);
	}
	async function change() {
		busy = true;
		const lost = look?.lost ?? 0;
		const { label } = field;
		faults = await w.editModel(`${label} is of another type`, next, lost);
		busy = false;
		if (faults.length) return;
		tell(
			lost
				? `${label} is changed; ${formatCount(lost)} values are kept in the history of their records only.`
				: `${label} is changed; every value came along.`
		);
		onclose();
	}
</script>

<section class="border border-line bg-panel p-3" aria-label="Another type for {field.label}">
	<NatureInputs
		{nature}
		{type}
		model={w.model}
		field={field.id}
		label={field.label}
		faults={wrong}
		onset={(n) => {
			nature = n;
			faults = [];
		}}
	/>
	<div aria-live="polite">
		{#if stops}<p class="mt-2 text-sm text-brick">● {stops.message}</p>{/if}
		{#if trouble}<p class="mt-2 text-sm text-brick">● {trouble}</p>{/if}
		{#if faults.length}<p class="mt-2 text-sm text-brick" role="alert">
				● {faults[0].message}
			</p>{/if}
		{#if other && !look && !trouble && !stops && !Object.keys(wrong).length}
			<p class="mt-2 text-sm text-quiet">Looking at what every value becomes …</p>
		{:else if look}
			<p class="mt-2 text-sm">
				{#if !look.of}No record holds a value in it.{:else}
					Of {formatCount(look.of)} values {formatCount(look.same + look.changed)} come along{#if look.lost},
						<strong class="text-brick">{formatCount(look.lost)} would be lost</strong>{/if}.
				{/if}
			</p>
			{#each look.force as t (t)}<p class="mt-1 text-sm text-brick">
					● Release in force: {t}
				</p>{/each}
			{#if look.force.length}<p class="text-sm">
					It can be changed once a release does without this.
				</p>{/if}
			{#each look.draft.filter((t) => !look!.force.includes(t)) as t (t)}<p
					class="mt-1 text-sm text-ochre"
				>
					▲ To be mended in the draft: {t}
				</p>{/each}
			{#if look.losses.length || look.examples.length}
				<div class="mt-2 max-h-52 overflow-auto border-t border-hairline">
					<table class="grid-table text-sm">
						<thead><tr><th>Holds</th><th>Becomes</th><th>At</th></tr></thead>
						<tbody>
							{#each look.losses as l (l.has)}
								<tr>
									<td class="break-words">{l.has}</td>
									<td class="text-brick">● blank: {l.why}</td>
									<td
										><a class="textlink" href="/records/{type.id}/{l.id}">{l.title}</a>
										{#if l.records > 1}and {formatCount(l.records - 1)} more{/if}</td
									>
								</tr>
							{/each}
							{#each look.examples as x (x.id)}
								<tr>
									<td class="break-words">{x.has}</td><td class="break-words">{x.becomes}</td>
									<td><a class="textlink" href="/records/{type.id}/{x.id}">{x.title}</a></td>
								</tr>
							{/each}
						</tbody>
					</table>
				</div>
				{#if look.more}<p class="text-sm text-quiet">
						More values would be lost than are shown.
					</p>{/if}
			{/if}
			{#if missing.length}
				<button class="textlink mt-1 text-sm" onclick={() => void addOptions()}
					>Make options of {missing.length > 1 ? `these ${missing.length}` : 'this one'}</button
				>
			{/if}
		{/if}
	</div>
	{#if other && look && !look.force.length}<Going values={look.of} {busy} />{/if}
	<div class="mt-3 flex items-center gap-3">
		<button
			class="button"
			disabled={!other || !look || look.force.length > 0 || busy}
			onclick={() => void change()}
			>{look?.lost ? `Change it and lose ${formatCount(look.lost)}` : 'Change it'}</button
		>
		<button class="textlink" onclick={onclose}>Leave it</button>
		{#if look && other}<span class="text-sm text-quiet">This cannot be undone by a key.</span>{/if}
	</div>
</section>
