<script lang="ts">
	/** Where fields come from and go to: a picture of one field or of a record type, or a matrix of rules by fields. */
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { around, flowOf, refKey } from '$core';
	import Choose from '../inputs/Choose.svelte';
	import SearchPick from '../inputs/SearchPick.svelte';
	import { useWorkbench } from '../work/workbench.svelte';
	import Matrix from './Matrix.svelte';
	import Picture from './Picture.svelte';

	let { type, field = null }: { type: string; field?: string | null } = $props();

	const w = useWorkbench();
	const t = $derived(w.schema.type(type).type);
	const f = $derived(field === null ? null : (w.schema.field(type, field) ?? null));
	const matrix = $derived(page.url.searchParams.get('as') === 'matrix');
	const far = $derived(Number(page.url.searchParams.get('far') ?? 2) || Infinity);
	const flow = $derived(flowOf(w.plan, w.draft));
	/** Of one field what is around it; else all rules of the type, and those elsewhere that read or write its fields. */
	const rules = $derived.by(() => {
		if (f) return around(flow, { type, field: f.id }, far);
		return flow.filter(
			(x) => x.rule.type === type || [...x.reads, ...x.writes].some((r) => r.type === type)
		);
	});
	const of = $derived(f ? { type, field: f.id } : null);
	const fields = $derived(
		new Set(rules.flatMap((x) => [...x.reads, ...x.writes]).map((r) => refKey(r.type, r.field)))
	);

	function address(change: { field?: string | null; as?: string; far?: string }) {
		const to = change.field === undefined ? (f?.id ?? null) : change.field;
		const q = new URLSearchParams(page.url.searchParams);
		for (const k of ['as', 'far'] as const)
			if (change[k] !== undefined) {
				if (change[k]) q.set(k, change[k]);
				else q.delete(k);
			}
		const asked = q.toString();
		return `/whole/${type}${to ? `/${to}` : ''}${asked ? `?${asked}` : ''}`;
	}
	const go = (change: Parameters<typeof address>[0]) =>
		void goto(address(change), { keepFocus: true, noScroll: true });
</script>

<svelte:head><title>{f?.label ?? t.label}, the whole · Rigid Rule</title></svelte:head>

<div class="px-6 py-3">
	<div class="flex flex-wrap items-baseline gap-x-3 gap-y-1">
		<h1 class="text-xl">
			{#if f}Where {f.label} comes from and goes to{:else}{t.label}: rules and fields{/if}
		</h1>
		<span class="text-sm text-quiet"
			>{rules.length} rule{rules.length === 1 ? '' : 's'} · {fields.size} fields</span
		>
		<span class="grow"></span>
		{#if f}<a class="textlink text-sm" href="/write/{type}/{f.id}">To its sheet</a>{/if}
	</div>
	<div class="mt-2 mb-3 flex flex-wrap items-center gap-3 text-sm">
		<Choose
			id="whole-as"
			label="Shown as"
			value={matrix ? 'matrix' : 'picture'}
			choices={[
				{ value: 'picture', label: 'as a picture' },
				{ value: 'matrix', label: 'as a matrix' }
			]}
			onpick={(v) => go({ as: v === 'matrix' ? 'matrix' : '' })}
		/>
		<SearchPick
			id="whole-field"
			text={f ? f.label : `all of ${t.label}`}
			label="The field it is about"
			choices={() =>
				t.fields
					.filter((x) => !x.retired)
					.map((x) => ({ id: x.id, label: x.label, group: x.group }))}
			onpick={(id) => go({ field: id })}
		/>
		{#if f}
			<button class="textlink" onclick={() => go({ field: null })}>all of {t.label}</button>
			<Choose
				id="whole-far"
				label="How far"
				value={Number.isFinite(far) ? String(far) : 'all'}
				choices={[
					{ value: '1', label: 'one rule away' },
					{ value: '2', label: 'two rules away' },
					{ value: 'all', label: 'as far as it goes' }
				]}
				onpick={(v) => go({ far: v })}
			/>
		{/if}
	</div>
	{#if !rules.length}
		<p class="text-quiet">
			{f
				? `No rule reads or writes ${f.label} yet.`
				: `No rule speaks of ${t.plural.toLowerCase()} yet.`}
			<a class="textlink" href="/write/{type}/{f?.id ?? t.fields[0].id}">Write one on its sheet</a>
		</p>
	{:else if matrix}<Matrix {rules} home={type} />
	{:else}<Picture {rules} {of} home={type} />{/if}
</div>
