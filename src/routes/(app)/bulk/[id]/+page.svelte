<script lang="ts">
	/** What a bulk change would do, record by record; and, once it was done, what became of each. */
	import { onMount } from 'svelte';
	import { goto, invalidate } from '$app/navigation';
	import type { JsonValue } from '$core';
	import { IS_LABEL, sayDoes, sayWhich } from '$lib/bulk/words';
	import { listQuery } from '$door/lists';
	import Flow from '$lib/rehearse/Flow.svelte';
	import JobState from '$lib/shell/JobState.svelte';
	import { formatCount, formatMoment, formatValue } from '$lib/words/format';
	import { schemaThen } from '../../../../runtime/past';
	import { Refused, ask } from '$lib/work/http';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(data.bulk.type).type);
	const { asked } = $derived(data.bulk);
	/** What is taken back may have run on to records of other types. */
	const nouns = $derived(
		asked ? [type.label.toLowerCase(), type.plural.toLowerCase()] : ['record', 'records']
	);
	const begun = $derived(data.job !== null);
	const running = $derived([data.job, data.look].find((j) => j && !j.ended) ?? null);
	const looked = $derived(data.look?.state === 'done');
	const mine = $derived(w.may('import'));
	const ruleName = (id: string) => w.force.set.rules.find((r) => r.id === id)?.name ?? id;
	const reload = () => invalidate('app:bulk');
	onMount(() => {
		const timer = setInterval(() => {
			if (running && !document.hidden) void reload();
		}, 1000);
		return () => clearInterval(timer);
	});
	let trouble = $state<string | null>(null);
	let busy = $state(false);
	async function go(step: 'look' | 'begin' | 'back') {
		busy = true;
		trouble = null;
		try {
			const made = await ask<{ id?: string }>(`/bulks/${data.bulk.id}`, {
				method: 'POST',
				body: { step }
			});
			if (made.id) await goto(`/bulk/${made.id}`);
			else await reload();
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; nothing was begun.' : e.message;
			if (!e.unreachable) await reload();
		} finally {
			busy = false;
		}
	}

	/** What was sent and what came of it is of fields as they were then. */
	const schema = $derived(schemaThen(w.schema, data.past, data.look?.began ?? data.bulk.at));
	const label = (of: string, id: string) => schema.field(of, id)?.label ?? id;
	const say = (of: string, id: string, v: JsonValue) => {
		const f = schema.field(of, id);
		return f ? formatValue(f, v, schema, w.titles.all) || 'blank' : String(v);
	};
	const KINDS = ['changed', 'same', 'spared', 'refused', 'moved'] as const;
	const kinds = $derived(KINDS.filter((k) => data.tally.is[k]));
	const seen = $derived(Object.values(data.tally.is).reduce((n, x) => n + x, 0));
	const would = $derived(begun ? '' : 'would be ');
	/** Values that are told apart, each held by many; numbers and texts of all sorts are a table of moves. */
	const flows = (of: string, id: string) =>
		['choice', 'yesno', 'link'].includes(schema.field(of, id)?.type ?? '');
	const movesAt = (of: string, id: string) =>
		data.moves.filter((m) => m.type === of && m.field === id);
	const here = (q: Record<string, string>) => `?${new URLSearchParams(q)}`;
	const moveQuery = (field: string, from: JsonValue, to: JsonValue) =>
		here({ move: JSON.stringify([field, from, to]) });
	const picked = (field: string) => (data.move?.field === field ? data.move : null);
</script>

<svelte:head><title>Bulk change · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<h1 class="text-xl">
		{#if asked}{sayDoes(asked, schema, w.titles.all)}{:else if data.bulk.undoesImport}The import of {data
				.bulk.undoesImport.name} taken back{:else}A bulk change taken back{/if}
	</h1>
	<p class="text-quiet">
		{#if asked}<span class="text-ink"
				>{sayWhich(asked, schema, w.titles.all, ruleName)}{asked.spare
					? '; what people set is spared'
					: '; what people set is overwritten too'}{asked.messages
					? '; messages leave'
					: '; no message leaves'}.</span
			>{:else}{#if data.bulk.undoes}<a class="textlink" href="/bulk/{data.bulk.undoes}"
					>What it takes back</a
				>:{:else if data.bulk.undoesImport}<a
					class="textlink"
					href="/imports/{data.bulk.undoesImport.id}">What it takes back</a
				>: records that it made are deleted, unless somebody edited them or links to them;{/if} values
			that are still as it left them become what they were, and are again whoever’s they were; event rules
			and messages do not run.{#if data.sent}
				<span class="text-ochre"
					>▲ {formatCount(data.sent)} message{data.sent === 1 ? '' : 's'} left with it, and {data.sent ===
					1
						? 'stays'
						: 'stay'} sent.</span
				>{/if}{/if}
		Asked {formatMoment(data.bulk.at, w.model.zone)}{data.bulk.by ? ` by ${data.bulk.by}` : ''}.
		{#if asked}<a
				class="textlink"
				href="/records/{type.id}{'list' in asked.which ? `?${listQuery(asked.which.list)}` : ''}"
				>To the list</a
			>{/if}
	</p>

	{#if running}<div class="mt-3"><JobState job={running} onchange={reload} /></div>
	{:else if data.job && data.job.state !== 'done'}<div class="mt-3">
			<JobState job={data.job} onchange={reload} />
		</div>
	{:else if !data.job && data.look && !looked}<div class="mt-3">
			<JobState job={data.look} onchange={reload} />
		</div>{/if}

	<div role="status">
		<h2 class="mt-4">
			{#if begun}{formatCount(data.tally.is.changed)} of {formatCount(data.toChange)}
				{nouns[1]} changed{:else if looked}Looked at, nothing stored: {formatCount(
					data.tally.is.changed
				)} of {formatCount(seen)} would be changed{:else}Looking: {formatCount(seen)} so far{/if}
		</h2>
	</div>
	<div class="flex flex-wrap items-baseline gap-x-4 gap-y-1 text-sm">
		{#each kinds as k (k)}<a
				class="textlink"
				aria-current={data.is === k ? 'true' : undefined}
				href={here({ is: k })}
				>{formatCount(data.tally.is[k])}
				{['changed', 'refused'].includes(k) ? would : ''}{IS_LABEL[k]}</a
			>{/each}
		{#if data.is ?? data.move}<a class="textlink" href="?">all</a>{/if}
		{#if data.tally.byHand}<span class="text-ochre"
				>▲ {formatCount(data.tally.byHand)} of them {begun ? 'had been' : 'were'} set by people</span
			>{/if}
		{#if data.tally.reached}<span
				>{formatCount(data.tally.reached)} other records {begun ? 'changed' : 'would change'} with them</span
			>{/if}
		{#if data.tally.sent}<span
				>{formatCount(data.tally.sent)} message{data.tally.sent === 1 ? '' : 's'}
				{asked?.messages ? (begun ? 'left' : 'would leave') : 'do not leave'}</span
			>{/if}
	</div>
	{#if mine && !running}
		<div class="mt-2 flex flex-wrap items-center gap-3">
			{#if !begun}
				<button
					class="button main"
					disabled={busy || !looked || !data.tally.is.changed}
					onclick={() => void go('begin')}
					>{asked ? 'Change' : 'Take back'}
					{formatCount(data.tally.is.changed)}
					{nouns[data.tally.is.changed === 1 ? 0 : 1]}</button
				>
				<button class="button" disabled={busy} onclick={() => void go('look')}
					>Look once more</button
				>
			{:else if data.bulk.undoneBy}
				<span class="text-ochre"
					>▲ It was taken back: <a class="textlink" href="/bulk/{data.bulk.undoneBy}"
						>see what became of it</a
					></span
				>
			{:else}
				<button class="button" disabled={busy} onclick={() => void go('back')}
					>Take it back: look first</button
				>
			{/if}
		</div>
	{/if}
	{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}

	{#each data.fields as f (`${f.type} ${f.field}`)}
		{@const moves = movesAt(f.type, f.field)}
		<h3 class="mt-4 font-semibold">
			{f.type === type.id ? '' : `${w.schema.types.get(f.type)?.type.label ?? f.type} · `}{label(
				f.type,
				f.field
			)}
			<span class="font-normal text-quiet"
				>{formatCount(f.records)}
				{f.records === 1 ? 'record' : 'records'}{moves[0]?.rule
					? `, by the rule “${moves[0].rule}”`
					: ''}</span
			>
		</h3>
		{#if flows(f.type, f.field) && moves.length > 1}
			<Flow
				moves={moves.map(({ from, to, records }) => ({ from, to, count: records }))}
				say={(v) => say(f.type, f.field, v)}
				picked={picked(f.field)}
				onpick={(m) => void goto(moveQuery(f.field, m.from, m.to), { noScroll: true })}
			/>
		{/if}
		<ul
			class="flex flex-wrap gap-x-4 gap-y-1 text-sm"
			aria-label="What {label(f.type, f.field)} becomes"
		>
			{#each moves as m, i (i)}
				<li>
					<a
						class="textlink inline-flex min-h-6 gap-1"
						aria-current={picked(f.field)?.to === m.to && picked(f.field)?.from === m.from
							? 'true'
							: undefined}
						data-sveltekit-noscroll
						href={moveQuery(f.field, m.from, m.to)}
						><span class="mono">{say(f.type, f.field, m.from)} → {say(f.type, f.field, m.to)}</span>
						<span class="text-quiet">{formatCount(m.records)}</span></a
					>
				</li>
			{/each}
			{#if f.kinds > moves.length}<li class="text-quiet">
					and {formatCount(f.kinds - moves.length)} others
				</li>{/if}
		</ul>
	{/each}

	{#if data.rows.length}
		<div class="ticks mt-4"></div>
		<table class="grid-table text-sm" aria-label="Records">
			<thead><tr><th>Record</th><th>Outcome</th><th>What changes</th></tr></thead>
			<tbody>
				{#each data.rows as r (r.n)}
					{@const o = r.outcome}
					<tr>
						<td
							>{#if (o.gone && begun) || (o.again && !begun)}{r.title}
								<span class="text-quiet">No. {r.record}</span>{:else}<a
									class="textlink"
									href="/records/{r.type}/{r.record}">{r.title}</a
								>{/if}{#if r.type !== type.id}<span class="text-quiet">
									{w.schema.types.get(r.type)?.type.label.toLowerCase()}</span
								>{/if}</td
						>
						<td>
							{#if o.is === 'refused'}<span class="text-brick">● {would}refused:</span>
								{o.faults.map((x) => x.message).join(' ')}
							{:else if o.is === 'moved'}<span class="text-ochre">▲ {IS_LABEL.moved}</span>
							{:else if o.gone}<span class="text-brick">{would}deleted</span>
							{:else if o.again}<span class="text-teal">{would}made again</span>
							{:else}{o.is === 'changed' ? would : ''}{IS_LABEL[o.is]}{/if}
							{#if o.reached || o.sent}<div class="text-quiet">
									{[
										o.reached && `${o.reached} other record${o.reached > 1 ? 's' : ''}`,
										o.sent && `${o.sent} message${o.sent > 1 ? 's' : ''}`
									]
										.filter(Boolean)
										.join(', ')}
								</div>{/if}
							{#each o.advice as a, i (i)}<div class="text-ochre">▲ {a}</div>{/each}
						</td>
						<td>
							{#each o.changes as c (c.field)}<div>
									{label(r.type, c.field)}
									<span class="mono"
										>{say(r.type, c.field, c.from)} →
										<span class={c.rule ? 'text-brass-ink' : 'font-semibold'}
											>{say(r.type, c.field, c.to)}</span
										></span
									>
									{#if c.rule}<span class="text-quiet">because {c.because}</span
										>{:else if o.event}<span class="text-quiet"
											>as “{o.event.rule}” would have given it {formatMoment(
												o.event.at,
												w.model.zone
											)}{o.event.who ? `, when ${o.event.who} changed it` : ''}: {o.event
												.because}</span
										>{/if}
								</div>{/each}
							{#each o.setAside as s, n (n)}<div>
									<span class="text-ochre">▲</span>
									{label(r.type, s.field)}
									<span class="mono">{say(r.type, s.field, s.sent)}</span> does not stand; only “{s.rule}”
									sets it
								</div>{/each}
						</td>
					</tr>
				{/each}
			</tbody>
		</table>
		<p class="mt-2 flex gap-4 text-sm">
			{#if data.after}<a class="textlink" href={here(data.is ? { is: data.is } : {})}
					>From the first</a
				>{/if}
			{#if data.more}<a
					class="textlink"
					href={here({
						...(data.is ? { is: data.is } : {}),
						...(data.move
							? { move: JSON.stringify([data.move.field, data.move.from, data.move.to]) }
							: {}),
						after: String(data.more)
					})}>More records</a
				>{/if}
		</p>
	{/if}
</div>
