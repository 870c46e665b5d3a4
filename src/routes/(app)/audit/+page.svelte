<script lang="ts">
	import type { JsonValue, Piece } from '$core';
	import { formatMoment } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import Choose from '$lib/inputs/Choose.svelte';

	let { data } = $props();
	const w = useWorkbench();
	/** What is chosen and not asked for yet; what was asked for until then. */
	let chosen = $state<string | null>(null);
	const group = $derived(chosen ?? data.asked.group);
	/** The entry whose detail is seen. */
	let open = $state<string | null>(null);

	const query = $derived(
		new URLSearchParams(Object.entries(data.asked).filter(([, v]) => v)).toString()
	);
	const say = (v: JsonValue | undefined) =>
		v === undefined ? 'nothing' : typeof v === 'string' ? `“${v}”` : JSON.stringify(v);
	const linesOf = (detail: unknown): { label: string; text: string }[] => {
		if (typeof detail !== 'object' || detail === null) return [];
		const { pieces, was, now, tooLong, ...rest } = detail as Record<string, unknown>;
		const both = (label: string, a: JsonValue | undefined, b: JsonValue | undefined) => ({
			label,
			text: `${say(a)} → ${say(b)}`
		});
		const dict = (x: unknown) =>
			(typeof x === 'object' && x !== null ? x : {}) as Record<string, JsonValue>;
		return [
			...((pieces as Piece[] | undefined) ?? []).map((p) =>
				both(p.path.join(' › '), p.before, p.after)
			),
			...(was || now
				? [...new Set([...Object.keys(dict(was)), ...Object.keys(dict(now))])]
						.filter((k) => JSON.stringify(dict(was)[k]) !== JSON.stringify(dict(now)[k]))
						.map((k) => both(k, dict(was)[k], dict(now)[k]))
				: []),
			...(typeof now === 'boolean' ? [{ label: 'now', text: now ? 'yes' : 'no' }] : []),
			...(tooLong ? [{ label: 'too long to be kept', text: `${String(tooLong)} characters` }] : []),
			...Object.entries(rest).map(([label, v]) => ({ label, text: say(v as JsonValue) }))
		];
	};
</script>

<svelte:head><title>Audit · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<div class="flex items-baseline justify-between">
		<h1 class="text-xl">Audit</h1>
		<span class="text-sm"
			><a class="textlink" href="/audit/export?{query}" download>As CSV</a>
			<a class="textlink ml-3" href="/audit/export?{query}&as=jsonl" download>As JSON lines</a
			></span
		>
	</div>
	<p class="text-quiet">
		Who did what, from where. Nothing here can be changed. What rules did to records is in the
		<a class="textlink" href="/journal">journal</a>.
	</p>
	<form class="mt-3 flex flex-wrap items-end gap-3" method="GET">
		<span class="text-sm"
			>What<br /><Choose
				label="What"
				name="group"
				value={group}
				choices={[
					{ value: '', label: 'everything' },
					...data.groups.map((g) => ({ value: g, label: g }))
				]}
				class="w-36"
				onpick={(v) => (chosen = v)}
			/></span
		>
		<label class="text-sm"
			>Who, what, address or request<br /><input
				class="box w-64"
				name="find"
				maxlength="100"
				value={data.asked.find}
			/></label
		>
		<label class="text-sm"
			>From<br /><input class="box w-36" name="from" type="date" value={data.asked.from} /></label
		>
		<label class="text-sm"
			>To<br /><input class="box w-36" name="to" type="date" value={data.asked.to} /></label
		>
		<button class="button">Find</button>
		{#if query}<a class="textlink" href="/audit">All</a>{/if}
	</form>
	{#if data.fault}<p class="mt-2 text-sm text-brick" role="alert">● {data.fault}</p>{/if}
	<div class="ticks mt-3"></div>
	<table class="grid-table text-sm" aria-label="Who did what">
		<thead
			><tr
				><th>When</th><th>Who</th><th>Did</th><th>To what</th><th>From</th><th
					><span class="sr-only">Detail</span></th
				></tr
			></thead
		>
		<tbody>
			{#each data.entries as e (e.id)}
				{@const lines = linesOf(e.detail)}
				<tr>
					<td class="mono whitespace-nowrap">{formatMoment(e.at, w.model.zone)}</td>
					<td class="font-semibold">{e.who}</td>
					<td class="whitespace-nowrap">{e.did}</td>
					<td class="what">{e.object}</td>
					<td class="mono whitespace-nowrap">{e.address ?? ''}</td>
					<td class="whitespace-nowrap"
						>{#if lines.length || e.request}<button
								class="textlink"
								aria-expanded={open === e.id}
								aria-label="Detail of {e.who} {e.did}"
								onclick={() => (open = open === e.id ? null : e.id)}
								>{open === e.id ? 'close' : 'detail'}</button
							>{/if}</td
					>
				</tr>
				{#if open === e.id}
					<tr
						><td colspan="6" class="bg-panel">
							<dl class="grid grid-cols-[minmax(0,240px)_minmax(0,1fr)] gap-x-4 gap-y-1">
								{#each lines as l, i (i)}<dt class="mono break-words text-quiet">{l.label}</dt>
									<dd class="break-words">{l.text}</dd>{/each}
								{#if e.request}<dt class="text-quiet">request</dt>
									<dd class="mono">{e.request}</dd>{/if}
							</dl>
						</td></tr
					>
				{/if}
			{:else}<tr><td colspan="6" class="text-quiet">Nothing was found.</td></tr>{/each}
		</tbody>
	</table>
	<p class="mt-2 flex gap-4 text-sm">
		{#if data.later}<a class="textlink" href="/audit?{query}">The newest</a>{/if}
		{#if data.next}<a class="textlink" href="/audit?{query}&before={data.next}">Older</a>{/if}
	</p>
</div>

<style>
	.what {
		overflow-wrap: anywhere;
	}
</style>
