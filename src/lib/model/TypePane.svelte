<script lang="ts">
	/** A record type as a whole: its headings, the order of its short form and of its list, and its end. */
	import { goto } from '$app/navigation';
	import { withType, withoutType, type Field, type Model, type RecordType } from '$core';
	import { Reorder } from '../grid/reorder.svelte';
	import { formatCount } from '../words/format';
	import { tell } from '../shell/notices';
	import { useWorkbench } from '../work/workbench.svelte';
	import NameBox from './NameBox.svelte';
	import Speakers from './Speakers.svelte';

	let { type, records }: { type: RecordType; records: number | null } = $props();
	const w = useWorkbench();
	const off = $derived(!w.canEdit);
	let removing = $state(false);
	let fault = $state('');

	async function put(label: string, next: Model) {
		const [first] = await w.editModel(label, next);
		fault = first?.message ?? '';
	}
	/** Headings in their order, each with its fields. */
	const headings = $derived([...new Set(type.fields.map((f) => f.group))].map((id) => ({ id })));
	const grouped = (order: readonly string[]): Field[] =>
		order.flatMap((g) => type.fields.filter((f) => f.group === g));
	function moved<T>(all: readonly T[], from: number, to: number): T[] {
		const next = [...all];
		next.splice(to, 0, ...next.splice(from, 1));
		return next;
	}
	const headingOrder = new Reorder({
		items: () => headings,
		label: () => `the headings of ${type.label}`,
		disabled: () => off,
		move: (from, to) => {
			const order = moved(
				headings.map((h) => h.id),
				from,
				to
			);
			void put('order of headings', withType(w.model, type.id, { fields: grouped(order) }));
		}
	});
	const label = (id: string) => type.fields.find((f) => f.id === id)?.label ?? id;
	const form = (which: 'short' | 'columns', name: string) =>
		new Reorder({
			items: () => type[which].map((id) => ({ id })),
			label: () => `${name} of ${type.label}`,
			disabled: () => off,
			move: (from, to) =>
				void put(
					`order of ${name}`,
					withType(w.model, type.id, { [which]: moved(type[which], from, to) })
				)
		});
	const forms = [
		{ which: 'short' as const, title: 'Short form', order: form('short', 'the short form') },
		{ which: 'columns' as const, title: 'Columns of the list', order: form('columns', 'the list') }
	];
	async function remove() {
		// once it is gone there is nothing to ask any more
		const { id, label } = type;
		const [first] = await w.editModel(`${label} removed`, withoutType(w.model, id));
		fault = first?.message ?? '';
		if (first) return;
		tell(`${label} is removed.`);
		await goto('/model');
	}
</script>

<h2 class="text-lg">Forms of {type.label}</h2>
<p class="text-sm text-quiet">
	The full form shows every field under its heading. A field is put on the short form or into the
	list where it is described.
</p>
<h3 class="mt-3 text-base">Headings</h3>
<ul use:headingOrder.zone={w.canEdit} class="mt-1">
	{#each headingOrder.shown as h, i (h.id)}
		<li class="flex items-baseline gap-2 bg-sheet py-0.5" data-dragged={h.id}>
			{#if w.canEdit}<span
					class="mono inline-block min-h-6 min-w-6 cursor-grab text-right text-quiet"
					{...headingOrder.handle(i, h.id)}>{i + 1}</span
				>{/if}
			<NameBox
				class="grow"
				value={h.id}
				label="Heading {h.id}"
				disabled={off}
				onstore={(group) =>
					w.editModel(
						'heading',
						withType(w.model, type.id, {
							fields: type.fields.map((f) => (f.group === h.id ? { ...f, group } : f))
						})
					)}
			/>
		</li>
	{/each}
</ul>
<div class="mt-3 grid grid-cols-2 gap-4">
	{#each forms as f (f.which)}
		<section>
			<h3 class="text-base">{f.title}</h3>
			<ul use:f.order.zone={w.canEdit} class="mt-1 text-sm" aria-label={f.title}>
				{#each f.order.shown as x, i (x.id)}
					<li class="flex items-baseline gap-2 bg-sheet" data-dragged={x.id}>
						{#if w.canEdit}<span
								class="mono inline-block min-h-6 min-w-6 cursor-grab text-right text-quiet"
								{...f.order.handle(i, label(x.id))}>{i + 1}</span
							>{/if}
						<a class="textlink" href="/model/{type.id}/{x.id}">{label(x.id)}</a>
					</li>
				{/each}
			</ul>
		</section>
	{/each}
</div>
{#if fault}<p class="mt-3 text-sm text-brick" role="alert">● {fault}</p>{/if}
{#if w.canEdit}
	<div class="mt-4 border-t border-hairline pt-3">
		{#if !removing}
			<button class="textlink text-sm" onclick={() => (removing = true)}
				>Remove the record type …</button
			>
		{:else}
			<p class="text-sm">
				A record type is removed when there are no records of it and nothing speaks of it.
				{#if records}There are {formatCount(records)} {type.plural.toLowerCase()}.{/if}
			</p>
			<Speakers part={{ is: 'type', type: type.id }} />
			<div class="mt-2 flex gap-3">
				<button class="button" disabled={records !== 0} onclick={() => void remove()}
					>Remove {type.label}</button
				>
				<button class="textlink" onclick={() => (removing = false)}>Keep it</button>
			</div>
		{/if}
	</div>
{/if}
