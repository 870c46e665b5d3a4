<script lang="ts">
	/** Messages that rules sent, newest first. Nothing leaves the house: a stand-in takes them. */
	import Form from '$lib/inputs/Form.svelte';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { loadAgain } from '$lib/outside/again';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const STATUS = {
		waiting: { text: '… waiting', tone: 'text-quiet' },
		sent: { text: '✓ sent', tone: 'text-teal' },
		refused: { text: '● refused', tone: 'text-brick' },
		dropped: { text: '○ a double, dropped', tone: 'text-quiet' }
	} as const;
	const filters = $derived([
		{
			status: undefined,
			label: 'all',
			n: Object.values(data.counts).reduce((a, b) => a + b, 0)
		},
		{ status: 'waiting', label: 'waiting', n: data.counts.waiting },
		{ status: 'sent', label: 'sent', n: data.counts.sent },
		{ status: 'refused', label: 'refused', n: data.counts.refused },
		{ status: 'dropped', label: 'doubles, dropped', n: data.counts.dropped }
	]);
	const page = (n: number) =>
		`?${new URLSearchParams({ ...(data.status ? { status: data.status } : {}), page: String(n) })}`;
	const title = (type: string, id: string) => w.titles.all[`${type}.${id}`] ?? `No. ${id}`;
	const at = (iso: string) => formatMoment(iso, w.model.zone);

	// what waits is handed over within a second or two
	loadAgain('app:outside', () => data.counts.waiting > 0);
</script>

<svelte:head><title>Outbox · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<h1 class="text-xl">Outbox</h1>
	<p class="text-quiet">
		Messages that rules sent. They leave when their change is kept and never without it; a stand-in
		takes them here, so nobody is really written to.
	</p>
	<div class="mt-1 flex flex-wrap items-center gap-x-4 text-sm">
		<span
			>Its mailbox holds <span class="mono">{formatCount(data.mailbox.taken)}</span>{data.mailbox
				.doubles
				? `; ${formatCount(data.mailbox.doubles)} came once more and ${data.mailbox.doubles === 1 ? 'was' : 'were'} dropped`
				: ''}.</span
		>
		{#if data.answers === 'away'}<span class="text-ochre"
				>▲ It is away: messages wait, and are tried again.</span
			>{/if}
		{#if w.may('operate')}
			<Form name="standIns" action="?/answers" keep>
				<input
					type="hidden"
					name="mailbox"
					value={data.answers === 'away' ? 'takes' : 'away'}
				/><button class="textlink"
					>{data.answers === 'away' ? 'Have it back' : 'Have it away for a while'}</button
				>
			</Form>
		{/if}
	</div>
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
		<thead
			><tr
				><th>When</th><th>To</th><th>Message</th><th class="w-60">Because of</th><th>State</th></tr
			></thead
		>
		<tbody>
			{#each data.entries as m (m.id)}
				<tr>
					<td class="whitespace-nowrap"
						>{at(m.at)}<br /><span class="text-quiet">No. {m.id}</span></td
					>
					<td class="mono">{m.recipient}</td>
					<td
						><strong class="font-semibold">{m.subject}</strong>
						<div class="max-w-xl whitespace-pre-line text-quiet">
							{m.recipient === '' ? 'Its text is forgotten.' : m.body}
						</div></td
					>
					<td>
						<a class="textlink" href="/write/{m.type}/~messages?sample={m.record}#rule-{m.rule}"
							>{m.ruleName}</a
						>
						<div>
							at <a class="textlink" href="/records/{m.type}/{m.record}"
								>{title(m.type, m.record)}</a
							>
						</div>
						{#if m.targetType && m.target}<div>
								for <a class="textlink" href="/records/{m.targetType}/{m.target}"
									>{title(m.targetType, m.target)}</a
								>
							</div>{/if}
					</td>
					<td>
						<span class="whitespace-nowrap {STATUS[m.status].tone}">{STATUS[m.status].text}</span>
						{#if m.status === 'sent' && m.takenAs}<div class="text-quiet">
								as number {m.takenAs} of the mailbox{m.takenBefore
									? ', which had it already: not sent twice'
									: ''}
							</div>{/if}
						{#if m.status === 'dropped'}<div class="text-quiet">
								{m.doubleOf ? `of message No. ${m.doubleOf}` : 'of another'}, in the same period
							</div>{/if}
						{#if m.trouble}<div class="text-quiet">{m.trouble}</div>{/if}
						{#if m.next}<div class="text-quiet">
								{m.attempts}
								{m.attempts === 1 ? 'attempt' : 'attempts'}; again at {at(m.next)}
							</div>{/if}
						{#if w.may('operate') && m.status !== 'dropped' && m.recipient !== '' && !(m.status === 'waiting' && !m.attempts)}
							<Form name="message" action="?/again" keep>
								<input type="hidden" name="id" value={m.id} /><button
									class="textlink"
									aria-label="Hand message {m.id} over again">Again</button
								>
							</Form>
						{/if}
					</td>
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
