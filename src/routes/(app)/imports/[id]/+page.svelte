<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { goto, invalidate } from '$app/navigation';
	import Choose from '$lib/inputs/Choose.svelte';
	import Form from '$lib/inputs/Form.svelte';
	import JobState from '$lib/shell/JobState.svelte';
	import { formatCount, formatMoment, formatValue } from '$lib/words/format';
	import { schemaThen } from '../../../../runtime/past';
	import { Refused, ask } from '$lib/work/http';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import { writerOf, type JsonValue } from '$core';

	let { data } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(data.file.type).type);
	const begun = $derived(data.job !== null);
	const running = $derived([data.job, data.dryRun].find((j) => j && !j.ended) ?? null);
	/** What is chosen here, until it is sent. */
	let columns = $state(untrack(() => data.settings.columns));
	let keep = $state(untrack(() => data.settings.keep));
	let by = $state(untrack(() => data.settings.by ?? ''));
	let mode = $state<string>(untrack(() => data.settings.mode));
	let again = $state(false);
	const ruled = $derived(
		type.fields.filter(
			(f) =>
				columns.some((c) => c.split('.')[0] === f.id) &&
				w.force.set.rules.some(
					(r) =>
						r.type === type.id &&
						writerOf(r.body) &&
						r.outputs.some((o) => o.field === f.id && o.hold !== 'locked' && !o.closed)
				)
		)
	);
	const left = $derived(data.file.head.filter((_, i) => !columns[i]));
	const reload = () => invalidate('app:import');
	onMount(() => {
		const timer = setInterval(() => {
			if (running && !document.hidden) void reload();
		}, 1000);
		return () => clearInterval(timer);
	});
	let taking = $state(false);
	let trouble = $state('');
	async function takeBack() {
		taking = true;
		trouble = '';
		try {
			const { id } = await ask<{ id: string }>(`/imports/${data.file.id}/back`, { method: 'POST' });
			await goto(`/bulk/${id}`);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; nothing was begun.' : e.message;
		} finally {
			taking = false;
		}
	}
	/** What became of rows is told of fields as they were then. */
	const schema = $derived(
		schemaThen(w.schema, data.past, (data.job ?? data.dryRun)?.began ?? data.file.at)
	);
	const label = (id: string) => schema.field(type.id, id)?.label ?? id;
	const say = (id: string, v: unknown) => {
		const f = schema.field(type.id, id);
		return f ? formatValue(f, v as JsonValue, schema) || 'blank' : String(v);
	};
	const WORDS = { created: 'created', changed: 'changed', same: 'no change', refused: 'refused' };
	const would = $derived(begun ? '' : 'would be ');
	const kinds = $derived(
		(['created', 'changed', 'same', 'refused'] as const).filter((k) => data.tally[k])
	);
	const seen = $derived(Object.values(data.tally).reduce((n, x) => n + x, 0));
	const here = (q: Record<string, string>) =>
		`/imports/${data.file.id}?${new URLSearchParams(q).toString()}`;
</script>

<svelte:head><title>Import {data.file.name} · Rigid Rule</title></svelte:head>

{#snippet hidden()}
	<input type="hidden" name="columns" value={columns.join('\n')} />
	<input type="hidden" name="keep" value={keep.join(' ')} />
	<input type="hidden" name="by" value={by} />
	<input type="hidden" name="mode" value={mode} />
	<input type="hidden" name="again" value={again ? 'yes' : ''} />
{/snippet}

<div class="px-6 pt-3 pb-10">
	<h1 class="text-xl">Import {data.file.name}</h1>
	<p class="text-quiet">
		{formatCount(data.file.rows)}
		{(data.file.rows === 1 ? type.label : type.plural).toLowerCase()}, read as {data.file.encoding},
		taken in {formatMoment(data.file.at, w.model.zone)}{data.file.by ? ` by ${data.file.by}` : ''}.
		<a class="textlink" href="/records/{type.id}/import">Another file</a>
	</p>
	{#each data.twice as t (t.id)}
		<p class="mt-2 bg-ochre-wash p-2 text-sm" role="status">
			▲ This very file was imported before: {formatMoment(t.at, w.model.zone)}{t.by
				? ` by ${t.by}`
				: ''}. <a class="textlink" href="/imports/{t.id}">See what became of it</a>
		</p>
	{/each}

	{#if !begun}
		<section class="mt-3 border border-line bg-sheet p-4" aria-labelledby="columns-h">
			<h2 id="columns-h">What each column is taken for</h2>
			<div class="overflow-x-auto">
				<table class="grid-table mt-1 text-sm" aria-label="Columns">
					<thead><tr><th>Column</th><th>Taken for</th><th colspan="3">First rows</th></tr></thead>
					<tbody>
						{#each data.file.head as h, i (i)}
							<tr class:text-quiet={!columns[i]}>
								<td class="font-semibold">{h || `column ${i + 1}`}</td>
								<td
									><Choose
										label="What {h || `column ${i + 1}`} is taken for"
										value={columns[i] ?? ''}
										choices={[{ value: '', label: 'nothing: left out' }, ...data.choices]}
										class="w-60"
										onpick={(v) => (columns = columns.map((c, k) => (k === i ? v : c)))}
									/></td
								>
								{#each data.rows.slice(0, 3) as r (r.line)}<td class="mono max-w-44 truncate"
										>{r.cells[i] ?? ''}</td
									>{/each}
							</tr>
						{/each}
					</tbody>
				</table>
			</div>
			{#if left.length}<p class="mt-1 text-sm text-ochre">
					▲ Left out: {left.join(', ')}. No field is called so; choose one, or leave it.
				</p>{/if}
			<div class="mt-3 flex flex-wrap items-end gap-4">
				<span class="text-sm"
					>A row finds its record<br /><Choose
						label="How a row finds its record"
						value={by}
						choices={[
							{
								value: '',
								label: columns.includes('No.') ? 'by its number' : 'none: each row is a new one'
							},
							...data.keys.map((k) => ({ value: k.value, label: `by ${k.label}` }))
						]}
						class="w-56"
						onpick={(v) => (by = v)}
					/></span
				>
				{#if by}<span class="text-sm"
						>and is<br /><Choose
							label="What may become of a row"
							value={mode}
							choices={[
								{ value: 'both', label: 'a change, or a new one' },
								{ value: 'create', label: 'only ever a new one' },
								{ value: 'change', label: 'only ever a change' }
							]}
							class="w-52"
							onpick={(v) => (mode = v)}
						/></span
					>{/if}
			</div>
			{#if ruled.length}
				<fieldset class="mt-3">
					<legend class="text-sm font-medium"
						>Keep what the file says, against rules that follow, in</legend
					>
					{#each ruled as f (f.id)}<label
							class="mr-4 inline-flex min-h-7 items-center gap-1 text-sm"
							><input type="checkbox" value={f.id} bind:group={keep} /> {f.label}</label
						>{/each}
				</fieldset>
			{/if}
			{#if data.twice.length}<label class="mt-2 flex items-center gap-2 text-sm"
					><input type="checkbox" bind:checked={again} /> Import it again all the same</label
				>{/if}
			{#if !running}
				<div class="mt-3 flex gap-2">
					<Form name="import" action="?/try" keep
						>{@render hidden()}<button class="button">Try it</button></Form
					>
					<Form name="import" action="?/begin" keep
						>{@render hidden()}<button
							class="button main"
							disabled={data.twice.length > 0 && !again}>Import</button
						></Form
					>
				</div>
				<p class="mt-1 text-sm text-quiet">
					<em>Try it</em> says what each row would do, and stores nothing{data.file.rows >
					data.mostTried
						? `; it looks at the first ${formatCount(data.mostTried)} rows`
						: ''}.
				</p>
			{/if}
		</section>
	{/if}

	{#if running}<div class="mt-3"><JobState job={running} onchange={reload} /></div>
	{:else if data.job && data.job.state !== 'done'}<div class="mt-3">
			<JobState job={data.job} onchange={reload} />
		</div>
	{:else if !data.job && data.dryRun && data.dryRun.state !== 'done'}<div class="mt-3">
			<JobState job={data.dryRun} onchange={reload} />
		</div>{/if}

	{#if begun && !running && w.may('import')}
		<p class="mt-3">
			{#if data.back}<span class="text-ochre"
					>▲ It was taken back: <a class="textlink" href="/bulk/{data.back}"
						>see what became of it</a
					></span
				>{:else}<button class="button" disabled={taking} onclick={() => void takeBack()}
					>Take it back: look first</button
				>{/if}
			{#if trouble}<span class="text-brick" role="alert">● {trouble}</span>{/if}
		</p>
	{/if}
	{#if seen}
		<h2 class="mt-5" role="status">
			{#if begun}{formatCount(seen - data.tally.refused)} of {formatCount(data.file.rows)} rows taken
				over{:else}Tried, nothing stored: {formatCount(seen - data.tally.refused)} of {formatCount(
					seen
				)} rows would be taken over{/if}{data.tally.refused
				? `, ${formatCount(data.tally.refused)} ${would}refused`
				: ''}
		</h2>
		<div class="flex flex-wrap items-baseline justify-between gap-3 text-sm">
			<span
				>{#each kinds as k (k)}<a
						class="textlink mr-3"
						aria-current={data.is === k ? 'true' : undefined}
						href={here({ is: k })}
						>{formatCount(data.tally[k])} {k === 'same' ? WORDS.same : `${would}${WORDS[k]}`}</a
					>{/each}{#if data.is}<a class="textlink" href={here({})}>all</a>{/if}</span
			>
			<span
				><a class="textlink" href="/imports/{data.file.id}/file?what=outcome" download
					>Every row with its outcome, as CSV</a
				>{#if data.tally.refused}<a
						class="textlink ml-3"
						href="/imports/{data.file.id}/file?what=mend"
						download>The rows to mend</a
					>{/if}</span
			>
		</div>
		<div class="ticks mt-1"></div>
		<table class="grid-table text-sm" aria-label="Rows">
			<thead
				><tr
					><th class="text-right">Line</th><th>Outcome</th><th>Written by rules</th><th
						>Set aside</th
					></tr
				></thead
			>
			<tbody>
				{#each data.rows.filter((r) => r.outcome) as r (r.line)}
					{@const o = r.outcome!}
					<tr>
						<td class="mono text-right">{r.line}</td>
						<td>
							{#if o.is === 'refused'}<span class="text-brick">● {would}refused:</span>
								{o.faults.map((x) => x.message).join(' ')}
							{:else}
								{would}{WORDS[o.is]}
								{#if o.id}<a class="textlink" href="/records/{type.id}/{o.id}"
										>{data.titles[o.id] ?? `No. ${o.id}`}</a
									>{/if}
								{#if o.reached || o.sent || o.pending}<div class="text-quiet">
										{[
											o.reached && `${o.reached} other record${o.reached > 1 ? 's' : ''} changed`,
											o.sent && `${o.sent} message${o.sent > 1 ? 's' : ''}`,
											o.pending && `${o.pending} record${o.pending > 1 ? 's' : ''} afterwards`
										]
											.filter(Boolean)
											.join(', ')}
									</div>{/if}
								{#each o.advice as a, i (i)}<div class="text-ochre">▲ {a}</div>{/each}
							{/if}
						</td>
						<td
							>{#each o.changes.filter((c) => c.rule) as c (c.field)}<div>
									{label(c.field)}
									<span class="mono text-brass-ink">{say(c.field, c.to)}</span>
									<span class="text-quiet">because {c.because}</span>
								</div>{/each}{#each o.nothing as n, i (i)}<div class="text-quiet">
									{label(n.field)}: nothing, because {n.because}
								</div>{/each}</td
						>
						<td
							>{#each o.setAside as s, n (n)}<div>
									<span class="text-ochre">▲</span>
									{label(s.field)} <span class="mono">{say(s.field, s.sent)}</span>; only “{s.rule}”
									sets it
								</div>{/each}</td
						>
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
					href={here({ ...(data.is ? { is: data.is } : {}), after: String(data.more) })}
					>More rows</a
				>{/if}
		</p>
	{/if}
</div>
