<script lang="ts">
	/** What is not as the rules in force would have it: counted by field; of one, record by record with the reason. */
	import { onMount, tick as settled } from 'svelte';
	import { goto, invalidate } from '$app/navigation';
	import { HOLD_VERB, type JsonValue } from '$core';
	import { MOST_TICKED } from '$door/parts';
	import { LINE_IS, type LineIs } from '$door/line';
	import { EVERYTHING, listQuery } from '$door/lists';
	import { MOST_BULK, type BulkAsked } from '$door/bulk';
	import JobState from '$lib/shell/JobState.svelte';
	import { tell } from '$lib/shell/notices';
	import { formatCount, formatMoment, formatValue } from '$lib/words/format';
	import { LINE_HEAD, LINE_SAYS } from '$lib/words/line';
	import { Refused, ask } from '$lib/work/http';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const mine = $derived(w.may('import'));
	const looking = $derived(data.look && !data.look.ended ? data.look : null);
	const reload = () => invalidate('app:line');
	onMount(() => {
		const timer = setInterval(() => {
			if (looking && !document.hidden) void reload();
		}, 1000);
		return () => clearInterval(timer);
	});

	const ruleOf = (claim: string) => {
		const [rule, output] = claim.split(':');
		const r = w.ruleInForce(rule);
		return {
			name: r?.name ?? 'a rule that is gone',
			hold: r?.outputs.find((o) => o.id === output)?.hold
		};
	};
	/** One line a field. */
	const fields = $derived.by(() => {
		const out = new Map<
			string,
			{ type: string; field: string; claims: string[]; n: Record<LineIs, number> }
		>();
		for (const c of data.counts) {
			const known = w.schema.types.get(c.type);
			if (!known?.at.has(c.field)) continue;
			const key = `${c.type}.${c.field}`;
			const had = out.get(key) ?? {
				type: c.type,
				field: c.field,
				claims: [],
				n: { open: 0, hand: 0, failed: 0, left: 0 }
			};
			had.claims.push(c.claim);
			for (const is of LINE_IS) had.n[is] += c[is];
			out.set(key, had);
		}
		return [...out.values()];
	});
	const total = $derived(fields.reduce((n, f) => n + f.n.open, 0));
	const label = (type: string, field: string) => w.schema.field(type, field)?.label ?? field;
	const plural = (type: string) => w.schema.types.get(type)?.type.plural ?? type;
	const address = (type: string, field: string, is: LineIs) =>
		`/line?${new URLSearchParams({ type, field, is })}`;
	const at = $derived(
		fields.find((f) => f.type === data.at.type && f.field === data.at.field) ?? null
	);
	const n = $derived(at?.n[data.is] ?? 0);
	const say = (v: JsonValue) => {
		const f = w.schema.field(data.at.type, data.at.field);
		return f ? formatValue(f, v, w.schema, w.titles.all) || 'blank' : String(v);
	};

	let ticked = $state<ReadonlySet<string>>(new Set());
	let leaving = $state<'all' | 'ticked' | null>(null);
	let why = $state('');
	let trouble = $state<string | null>(null);
	let busy = $state(false);
	// another field, or another state of it, has other records
	const place = $derived(`${data.at.type} ${data.at.field} ${data.is}`);
	$effect.pre(() => {
		void place;
		ticked = new Set();
		leaving = null;
		trouble = null;
	});
	const rows = $derived(data.shown?.rows ?? []);
	const chosen = $derived([...ticked]);
	const tick = (id: string, on: boolean) => {
		const next = new Set(ticked);
		if (on) next.add(id);
		else next.delete(id);
		ticked = next;
	};
	const allTicked = $derived(rows.length > 0 && rows.every((r) => ticked.has(r.record)));
	/** Those that a button is about. */
	const these = $derived(
		ticked.size
			? `the ${formatCount(ticked.size)} ticked`
			: n === 1
				? 'the one'
				: `all ${formatCount(n)}`
	);
	const records = (k: number) => {
		const t = w.schema.types.get(data.at.type)?.type;
		return `${formatCount(k)} ${(k === 1 ? t?.label : t?.plural)?.toLowerCase() ?? 'records'}`;
	};

	async function send<T>(work: () => Promise<T>): Promise<T | null> {
		busy = true;
		trouble = null;
		try {
			return await work();
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; nothing was done.' : e.message;
			return null;
		} finally {
			busy = false;
		}
	}
	async function bring(of: 'all' | 'ticked') {
		const { type, field } = data.at;
		const body: BulkAsked = {
			type,
			which:
				of === 'ticked'
					? { ids: chosen }
					: {
							list: { ...EVERYTHING, line: { field, is: data.is } },
							...(n > MOST_BULK ? { first: MOST_BULK } : {})
						},
			does: { k: 'line', field },
			spare: data.is !== 'hand',
			messages: false
		};
		const made = await send(() => ask<{ id: string }>('/bulks', { method: 'POST', body }));
		if (made) await goto(`/bulk/${made.id}`);
	}
	async function step(does: 'leave' | 'take up', of: 'all' | 'ticked') {
		const ids = of === 'ticked' ? chosen : null;
		const body = {
			step: does,
			...data.at,
			is: data.is,
			ids,
			...(does === 'leave' ? { why: why.trim() } : {})
		};
		const done = await send(() => ask<{ n: number }>('/lines', { method: 'POST', body }));
		if (!done) return;
		leaving = null;
		why = '';
		ticked = new Set();
		tell(
			does === 'leave'
				? `${records(done.n)} left as ${done.n === 1 ? 'it is' : 'they are'}.`
				: `${records(done.n)} taken up again.`
		);
		await reload();
	}
	let box = $state<HTMLInputElement>();
	async function askWhy() {
		leaving = leaving ? null : ticked.size ? 'ticked' : 'all';
		await settled();
		box?.focus();
	}
	async function look() {
		await send(() => ask('/lines', { method: 'POST', body: { step: 'look' } }));
		await reload();
	}
</script>

<svelte:head><title>Out of line · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<div class="flex flex-wrap items-baseline gap-x-4">
		<h1 class="text-xl">Out of line</h1>
		<span class="grow"></span>
		{#if mine && !looking}<button class="button" disabled={busy} onclick={() => void look()}
				>Look at everything anew</button
			>{/if}
	</div>
	<p class="text-quiet" role="status">
		{#if looking && !total && !fields.length}Looking …
		{:else if total}{formatCount(total)}
			{total === 1 ? 'value is' : 'values are'} not as the rules in force would have {total === 1
				? 'it'
				: 'them'}.
		{:else if data.look}Every value that a rule holds is as the rules in force have it, but for what
			is listed here.
		{:else}Not looked yet.{/if}
		{#if data.look?.ended && data.look.state === 'done'}Looked {formatMoment(
				data.look.ended,
				w.model.zone
			)} at {data.look.title}; that is done after each release and once a day.{/if}
	</p>
	{#if looking}<div class="mt-2"><JobState job={looking} onchange={reload} /></div>
	{:else if data.look && data.look.state !== 'done'}<div class="mt-2">
			<JobState job={data.look} onchange={reload} />
		</div>{/if}

	{#if fields.length}
		<div class="ticks mt-3"></div>
		<table class="grid-table text-sm" aria-label="Fields with values out of line">
			<thead
				><tr
					><th>Field</th><th>How it gets its value</th>{#each LINE_IS as is (is)}<th
							class="text-right">{LINE_HEAD[is]}</th
						>{/each}</tr
				></thead
			>
			<tbody>
				{#each fields as f (`${f.type} ${f.field}`)}
					<tr aria-current={f === at ? 'true' : undefined} class:bg-panel={f === at}>
						<td
							><span class="text-quiet">{plural(f.type)} ·</span>
							<a class="textlink" href="/write/{f.type}/{f.field}">{label(f.type, f.field)}</a></td
						>
						<td class="text-quiet"
							>{#each [...new Set(f.claims)] as c, i (c)}{@const r = ruleOf(c)}{i
									? '; '
									: ''}{r.hold ? `${HOLD_VERB[r.hold]} ` : ''}“{r.name}”{/each}</td
						>
						{#each LINE_IS as is (is)}
							<td class="mono text-right"
								>{#if f.n[is]}<a
										class="textlink inline-flex min-h-6 items-center"
										class:font-semibold={f === at && data.is === is}
										aria-current={f === at && data.is === is ? 'true' : undefined}
										aria-label="{formatCount(f.n[is])} of {label(f.type, f.field)}: {LINE_HEAD[is]}"
										data-sveltekit-noscroll
										href={address(f.type, f.field, is)}
										>{#if is === 'failed'}<span class="mr-1 text-brick">●</span>{/if}{formatCount(
											f.n[is]
										)}</a
									>{:else}<span class="text-quiet">–</span>{/if}</td
							>
						{/each}
					</tr>
				{/each}
			</tbody>
		</table>
	{/if}

	{#if data.at.field && w.schema.types.get(data.at.type)?.at.has(data.at.field)}
		<h2 class="mt-5">
			{plural(data.at.type)} · {label(data.at.type, data.at.field)}
			<span class="font-normal text-quiet"
				>{LINE_HEAD[data.is].toLowerCase()}, {formatCount(n)}</span
			>
		</h2>
		<p class="text-sm text-quiet">
			{LINE_SAYS[data.is]}
			<a
				class="textlink"
				href="/records/{data.at.type}?{listQuery({
					...EVERYTHING,
					line: { field: data.at.field, is: data.is }
				})}">As a list of records</a
			>
		</p>
		{#if rows.length}
			{#if mine}
				<div class="mt-2 flex flex-wrap items-center gap-3 text-sm">
					{#if data.is === 'open' || data.is === 'hand'}
						<button
							class="button main"
							disabled={busy}
							onclick={() => void bring(ticked.size ? 'ticked' : 'all')}
							>Bring {n > MOST_BULK && !ticked.size
								? `the first ${formatCount(MOST_BULK)} of ${formatCount(n)}`
								: these} into line: look first</button
						>
					{/if}
					{#if data.is !== 'left'}
						<button
							class="button"
							disabled={busy}
							aria-expanded={leaving !== null}
							onclick={() => void askWhy()}
							>Leave {these} as {(ticked.size || n) === 1 ? 'it is' : 'they are'} …</button
						>
					{:else}
						<button
							class="button main"
							disabled={busy}
							onclick={() => void step('take up', ticked.size ? 'ticked' : 'all')}
							>Take {these} up again</button
						>
					{/if}
					{#if ticked.size}<button class="textlink" onclick={() => (ticked = new Set())}
							>Tick none</button
						>{/if}
				</div>
				{#if leaving}
					<form
						class="mt-2 flex flex-wrap items-center gap-2 text-sm"
						onsubmit={(e) => {
							e.preventDefault();
							if (why.trim()) void step('leave', leaving!);
						}}
					>
						<label for="why-left">Why they stay</label>
						<input
							id="why-left"
							class="box w-96"
							maxlength="500"
							bind:this={box}
							bind:value={why}
							placeholder="For whoever finds them later"
						/>
						<button class="button" disabled={busy || !why.trim()}>Leave {these}</button>
						<button type="button" class="textlink" onclick={() => (leaving = null)}>No</button>
						{#if at?.claims.some((c) => ruleOf(c).hold === 'locked')}<span class="text-quiet"
								>It always equals its rule: a record comes into line all the same when it is next
								saved.</span
							>{/if}
					</form>
				{/if}
			{/if}
			{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}
			<table class="grid-table mt-2 text-sm" aria-label="Records out of line">
				<thead
					><tr
						>{#if mine}<th class="w-8"
								><input
									type="checkbox"
									aria-label="Tick all of this page"
									checked={allTicked}
									onchange={(e) => {
										const next = new Set(ticked);
										for (const r of rows)
											if (!e.currentTarget.checked) next.delete(r.record);
											else if (next.size < MOST_TICKED) next.add(r.record);
										ticked = next;
									}}
								/></th
							>{/if}<th>{w.schema.type(data.at.type).type.label}</th><th>Is</th><th
							>{data.is === 'failed' ? '' : 'Would be'}</th
						><th>{data.is === 'left' ? 'Left' : 'Because'}</th></tr
					></thead
				>
				<tbody>
					{#each rows as r (r.record)}
						<tr>
							{#if mine}<td
									><input
										type="checkbox"
										aria-label="Tick {r.title}"
										checked={ticked.has(r.record)}
										onchange={(e) => tick(r.record, e.currentTarget.checked)}
									/></td
								>{/if}
							<td><a class="textlink" href="/records/{data.at.type}/{r.record}">{r.title}</a></td>
							<td class="mono">{say(r.stored)}</td>
							<td class="mono text-brass-ink">{r.failed === null ? say(r.result) : ''}</td>
							<td
								>{#if r.left}{r.left.why}
									<span class="text-quiet"
										>{r.left.by ?? ''}, {formatMoment(r.left.at, w.model.zone)}</span
									>
									<span class="text-quiet">·</span>{:else if r.failed !== null}<span
										class="text-brick">●</span
									>
									{r.failed}
								{:else}{r.because ?? ''}, by{/if}
								<a
									class="textlink min-h-0"
									href="/write/{data.at.type}/{data.at.field}?sample={r.record}#rule-{r.claim.split(
										':'
									)[0]}">{ruleOf(r.claim).name}</a
								>{#if r.since}, since
									<a class="textlink min-h-0" href="/tables/{r.since.table}"
										>edit {r.since.number} of “{r.since.label}”</a
									>{/if}</td
							>
						</tr>
					{/each}
				</tbody>
			</table>
			<p class="mt-2 flex gap-4 text-sm">
				{#if data.after !== '0'}<a
						class="textlink"
						href={address(data.at.type, data.at.field, data.is)}>From the first</a
					>{/if}
				{#if data.shown?.next}<a
						class="textlink"
						href="{address(data.at.type, data.at.field, data.is)}&after={data.shown.next}"
						>More of them</a
					>{/if}
			</p>
		{:else}<p class="mt-2" role="status">None, as they are now.</p>{/if}
	{/if}
</div>
