<script lang="ts">
	/** Messages that rules sent, newest first. Nothing leaves the house: a stand-in takes them. */
	import { invalidate } from '$app/navigation';
	import { onMount } from 'svelte';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const STATUS = {
		waiting: { text: '… waiting', tone: 'text-quiet' },
		sent: { text: '✓ sent', tone: 'text-teal' },
		failed: { text: '● failed', tone: 'text-brick' }
	} as const;
	const filters = $derived([
		{
			status: undefined,
			label: 'all',
			n: data.counts.waiting + data.counts.sent + data.counts.failed
		},
		{ status: 'waiting', label: 'waiting', n: data.counts.waiting },
		{ status: 'sent', label: 'sent', n: data.counts.sent },
		{ status: 'failed', label: 'failed', n: data.counts.failed }
	]);
	const page = (n: number) =>
		`?${new URLSearchParams({ ...(data.status ? { status: data.status } : {}), page: String(n) })}`;
	const title = (type: string, id: string) => w.titles.all[`${type}.${id}`] ?? `No. ${id}`;

	// what waits is handed over within a second or two
	onMount(() => {
		const timer = setInterval(() => data.counts.waiting && void invalidate(() => true), 2000);
		return () => clearInterval(timer);
	});
</script>

<svelte:head><title>Outbox · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<h1 class="text-xl">Outbox</h1>
	<p class="text-quiet">
		Messages that rules sent. They leave when their change is kept and never without it; a stand-in
		takes them here, so nobody is really written to.
	</p>
	<nav class="mt-2 flex gap-4 text-sm" aria-label="Which messages">
		{#each filters as f (f.label)}<a
				class="textlink"
				class:font-semibold={data.status === f.status}
				aria-current={data.status === f.status ? 'true' : undefined}
				href={f.status ? `?status=${f.status}` : '?'}
				>{f.label} <span class="mono text-quiet">&nbsp;{formatCount(f.n)}</span></a
			>{/each}
	</nav>
	<div class="ticks mt-1"></div>
	<table class="grid-table text-sm">
		<thead><tr><th>When</th><th>To</th><th>Message</th><th>Because of</th><th>State</th></tr></thead
		>
		<tbody>
			{#each data.entries as m (m.id)}
				<tr class="align-top">
					<td class="whitespace-nowrap">{formatMoment(m.at, w.model.zone)}</td>
					<td class="mono">{m.recipient}</td>
					<td
						><strong class="font-semibold">{m.subject}</strong>
						<div class="max-w-xl text-quiet">{m.body}</div></td
					>
					<td>
						<a class="textlink" href="/records/{m.type}/{m.record}">{title(m.type, m.record)}</a>
						{#if m.targetType && m.target}for
							<a class="textlink" href="/records/{m.targetType}/{m.target}"
								>{title(m.targetType, m.target)}</a
							>{/if}
						<div>
							by <a
								class="textlink"
								href="/write/{m.type}/~messages?sample={m.record}#rule-{m.rule}">{m.ruleName}</a
							>
						</div>
					</td>
					<td class="whitespace-nowrap {STATUS[m.status].tone}"
						>{STATUS[m.status].text}{#if m.trouble}<div class="whitespace-normal">
								{m.trouble}
							</div>{/if}</td
					>
				</tr>
			{:else}
				<tr
					><td colspan="5" class="text-quiet"
						>{data.status
							? 'No message in this state.'
							: 'No rule has sent a message yet. Write one on a record type’s sheet of messages, at the end of its ledger.'}</td
					></tr
				>
			{/each}
		</tbody>
	</table>
	{#if data.page || data.more}
		<p class="mt-2 flex gap-4 text-sm">
			{#if data.page}<a class="textlink" href={page(data.page - 1)}>Newer</a>{/if}
			{#if data.more}<a class="textlink" href={page(data.page + 1)}>Older</a>{/if}
		</p>
	{/if}
</div>
