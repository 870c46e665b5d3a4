<script lang="ts">
	import { fieldsAtStake } from './stake';
	/** The sample: a pinned record. Change any input and see at once what the draft makes of it, and why. */
	import DateInput from '../inputs/DateInput.svelte';
	import { Popover } from 'bits-ui';
	import type {
		ClaimReport,
		EntryPoint,
		Expectation,
		FieldRef,
		JsonValue,
		Trial,
		Value
	} from '$core';
	import {
		ENTRY_LABEL,
		ENTRY_POINTS,
		LocalDate,
		canonicalJson,
		limitsOf,
		reason,
		ruleOf,
		sayExpectation,
		toJson
	} from '$core';
	import { trialWords } from '../trials/words';
	import { tell } from '../shell/notices';
	import Beside from './Beside.svelte';
	import Elsewhere from './Elsewhere.svelte';
	import Why from './Why.svelte';
	import ValueInput from '../inputs/ValueInput.svelte';
	import Word from '../words/Word.svelte';
	import { formatDate, formatValue } from '../words/format';
	import { Refused, ask } from '../work/http';
	import { useWorkbench, type Sample } from '../work/workbench.svelte';

	let { field }: { /** The field whose sheet is open. */ field: string } = $props();
	const w = useWorkbench();
	const s = $derived(w.sample!);
	const type = $derived(w.schema.type(s.type).type);
	const result = $derived(w.result);
	const place = (id: string) => w.schema.type(s.type).at.get(id)!;
	const f = (id: string) => w.field(s.type, id)!;
	const say = (id: string, v: JsonValue) => formatValue(f(id), v, w.schema, w.titles.all);
	const format = (ref: FieldRef, v: Value) => {
		const x = w.schema.field(ref.type, ref.field);
		return v === null ? 'blank' : x ? formatValue(x, toJson(v), w.schema, w.titles.all) : String(v);
	};

	/** Fields that the rules on this sheet read: what one wants to change. */
	/** Every field of the type is shown. */
	let more = $state(false);
	const atStake = $derived(fieldsAtStake(w, s, field));
	const inputs = $derived(more ? type.fields : atStake);
	const current = (id: string): JsonValue =>
		s.sent.find(([x]) => x === id)?.[1] ??
		(s.sent.some(([x]) => x === id) ? null : s.created ? null : (s.was[id] ?? null));
	/** What the field comes to, as the form shows it: a value that gives way to a rule is not left standing. */
	const shown = (id: string): JsonValue => {
		const i = w.schema.type(s.type).at.get(id);
		return result && i !== undefined ? toJson(result.values[i]) : current(id);
	};

	/** What rules wrote, this field first. */
	const wrote = $derived(
		(result?.changes ?? [])
			.filter((c) => c.claim)
			.sort((a, b) => Number(b.field === field) - Number(a.field === field))
	);
	const FIRST_WRITTEN = 3;
	let allWritten = $state(false);
	const writtenShown = $derived(allWritten ? wrote : wrote.slice(0, FIRST_WRITTEN));
	const reports = $derived((result?.reports ?? []).filter((r) => r.outcome !== 'sends'));
	const mine = $derived(
		reports.filter((r) => r.field === field && !wrote.some((c) => c.claim === r.claim))
	);
	const others = $derived(
		reports.filter((r) => r.field !== field && !wrote.some((c) => c.claim === r.claim))
	);
	const notable = $derived(
		others.filter((r) => r.outcome !== 'not triggered' && r.outcome !== 'same value')
	);
	let allReports = $state(false);
	const listed = $derived(allReports ? [...mine, ...others] : [...mine, ...notable].slice(0, 6));

	const report = (claim: string) => reports.find((r) => r.claim === claim);
	const ruleName = (claim: string) => ruleOf(w.shown.plan, claim)?.name ?? '';

	// ---- another sample -----------------------------------------------------------------------

	let dayTyped = $state<string | null>(null);
	let choosing = $state(false);
	let find = $state('');
	let found = $state<{ id: string; title: string }[]>([]);
	let lookFailed = $state('');
	/** What the server says against it stands beside the box. */
	async function tryTo<T>(work: () => Promise<T>): Promise<T | null> {
		lookFailed = '';
		try {
			return await work();
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			lookFailed = e.message;
			return null;
		}
	}
	async function look() {
		const url = `/look/samples?type=${s.type}&find=${encodeURIComponent(find)}`;
		await tryTo(async () => {
			found = await ask(url);
		});
	}
	async function take(id: string) {
		const x = await tryTo(() =>
			ask<{
				id: string;
				title: string;
				values: Record<string, JsonValue>;
				links: Record<string, string>;
				added: Record<string, string[]>;
			}>(`/look/samples?type=${s.type}&id=${id}`)
		);
		if (!x) return;
		w.titles.learn(x.links);
		w.sample = {
			...s,
			id: x.id,
			title: x.title,
			was: x.values,
			links: x.links,
			added: x.added,
			sent: [],
			created: false,
			stored: undefined,
			near: undefined
		};
		choosing = false;
	}
	function takeNew() {
		w.sample = {
			...s,
			id: null,
			title: `New ${type.label.toLowerCase()}`,
			was: {},
			added: undefined,
			sent: [],
			created: true,
			stored: undefined,
			near: undefined
		};
		choosing = false;
	}
	const patch = (p: Partial<Sample>) => (w.sample = { ...s, ...p });

	/** What the record was before the change is being written over. */
	let pretending = $state(false);
	const pretended = $derived(w.pretended(s));
	/** Puts back what is stored: values that were tried, and those that were pretended. */
	const back = () => patch({ sent: [], ...(s.stored ? { was: s.stored, stored: undefined } : {}) });
	function takeUp(other: Sample) {
		w.sample = other;
		pretending = false;
	}

	// ---- trials -------------------------------------------------------------------------------

	let naming = $state<string | null>(null);
	let kept = $state('');
	/** What there is to expect of what is shown: this field and all that rules wrote, what was said, what leaves. */
	const offered = $derived.by((): Expectation[] => {
		if (!result) return [];
		const fields = new Set([field, ...wrote.map((c) => c.field)]);
		const values = [...fields]
			.filter((id) => w.schema.field(s.type, id))
			.map((id): Expectation => ({ field: id, value: toJson(result.values[place(id)]) }));
		const said = result.messages.map((m): Expectation =>
			m.blocking
				? { refused: true, field: m.field, text: m.text }
				: { field: m.field, advised: true, text: m.text }
		);
		const leaves: Expectation[] =
			result.sends.length && !result.messages.some((m) => m.blocking)
				? [{ messages: result.sends.length }]
				: [];
		return [...said, ...values, ...leaves];
	});
	/** Those that are not to be expected, as texts. */
	let leftOut = $state<string[]>([]);
	const expectation = () => offered.filter((x) => !leftOut.includes(canonicalJson(x)));
	function suggestion(): string {
		const told =
			s.sent.map(([id, v]) => `${f(id).label} ${say(id, v) || 'blank'}`).join(', ') || s.title;
		if (!w.schema.field(s.type, field)) return told;
		return `${told} gives ${f(field).label} ${say(field, toJson(result!.values[place(field)])) || 'blank'}`;
	}
	async function keep() {
		const trial: Trial = {
			id: `t${crypto.randomUUID().slice(0, 8)}`,
			name: naming!.trim() || suggestion(),
			type: s.type,
			was: s.created ? null : s.was,
			sent: s.sent,
			entryPoint: s.entryPoint,
			at: w.instant(),
			person: w.account.person,
			...(s.created || !s.id ? {} : { record: s.id, added: s.added }),
			near: w.nearSample(),
			expect: expectation()
		};
		const trouble = await w.trials.keep(trial);
		kept = trouble ?? '';
		if (trouble) return;
		naming = null;
		tell(`Kept as the trial “${trial.name}”.`);
	}

	/** The values on either side of each limit of the rules on this sheet. */
	const edges = $derived.by(() => {
		for (const r of w.rulesOf(s.type, field)) {
			const limits = limitsOf(r, w.schema);
			if (!limits) continue;
			const { field: input } = limits;
			const step = f(input)?.type === 'number' ? 1 : 0.01;
			const values = [
				...new Set(limits.at.map(Number).flatMap((at) => [at - step, at, at + step]))
			].sort((a, b) => a - b);
			return {
				input,
				values: [...values.map((v) => String(Math.round(v * 100) / 100)), null] as JsonValue[]
			};
		}
		return null;
	});
	let showEdges = $state(false);
	const tried = $derived(
		showEdges && edges
			? edges.values.map((v) => {
					const x = w.settleSample({ ...s }, [
						...s.sent.filter(([id]) => id !== edges.input),
						[edges.input, v]
					]);
					return { v, gives: x ? toJson(x.records[0].values[place(field)]) : null };
				})
			: []
	);

	// one polite summary for those who hear the page, once things have come to rest
	let summary = $state('');
	$effect(() => {
		const text = wrote.length
			? wrote
					.map((c) => `${f(c.field).label} becomes ${say(c.field, toJson(c.to)) || 'blank'}`)
					.join('; ')
			: result?.sends.length
				? `The draft sends ${result.sends.length} messages.`
				: 'The draft writes nothing.';
		const t = setTimeout(() => (summary = text), 700);
		return () => clearTimeout(t);
	});
</script>

{#snippet why(r: ClaimReport)}
	<Popover.Root>
		<Popover.Trigger class="textlink text-sm">Why</Popover.Trigger>
		<Popover.Portal>
			<Popover.Content
				sideOffset={4}
				align="end"
				class="z-50 max-h-96 w-96 overflow-auto border border-ink bg-sheet p-4"
			>
				<Why report={r} {format} />
			</Popover.Content>
		</Popover.Portal>
	</Popover.Root>
{/snippet}

<div class="flex h-full flex-col">
	<div class="min-h-0 flex-1 overflow-y-auto px-5 pt-3 pb-4">
		<div class="flex items-baseline justify-between gap-3">
			<h2 class="truncate text-lg">{s.title}</h2>
			<Popover.Root bind:open={choosing} onOpenChange={(o) => o && void look()}>
				<Popover.Trigger class="textlink text-sm whitespace-nowrap">another sample</Popover.Trigger>
				<Popover.Portal>
					<Popover.Content
						sideOffset={4}
						align="end"
						class="z-50 w-80 border border-ink bg-sheet p-3"
						aria-label="Choose a sample"
					>
						<input
							class="box w-full"
							placeholder="Find a {type.label.toLowerCase()}"
							aria-label="Find a {type.label.toLowerCase()}"
							bind:value={find}
							oninput={() => void look()}
						/>
						<button class="textlink mt-2" onclick={takeNew}>A new {type.label.toLowerCase()}</button
						>
						{#if lookFailed}<p class="text-sm text-brick" role="alert">● {lookFailed}</p>{/if}
						<ul class="mt-1 max-h-60 overflow-auto">
							{#each found as x (x.id)}
								<li>
									<button
										class="min-h-7 w-full px-1 text-left hover:bg-band-1"
										onclick={() => take(x.id)}
										>{x.title} <span class="mono text-xs text-quiet">{x.id}</span></button
									>
								</li>
							{/each}
						</ul>
					</Popover.Content>
				</Popover.Portal>
			</Popover.Root>
		</div>
		<p class="text-sm leading-7 text-quiet">
			sent by the
			<Word
				label="Entry point"
				value={s.entryPoint}
				choices={ENTRY_POINTS.map((e) => ({ value: e, label: ENTRY_LABEL[e] }))}
				onpick={(v) => patch({ entryPoint: v as EntryPoint })}
			/>
			as
			<Word
				label="Moment"
				value={s.created ? 'created' : 'changed'}
				choices={[
					{ value: 'changed', label: 'a change' },
					{ value: 'created', label: 'a new record' }
				]}
				onpick={(v) =>
					patch({ created: v === 'created', sent: v === 'created' ? Object.entries(s.was) : [] })}
			/>
			on
			<Popover.Root>
				<Popover.Trigger class="word" aria-label="Day of the change"
					>{s.day ? formatDate(s.day) : 'today'}</Popover.Trigger
				>
				<Popover.Portal>
					<Popover.Content sideOffset={4} class="z-50 border border-ink bg-sheet p-3">
						<DateInput
							label="Day of the change"
							value={dayTyped ?? s.day ?? ''}
							oninput={(text) => {
								dayTyped = text;
								if (!text || LocalDate.parse(text)) patch({ day: text || null });
							}}
							onleave={() => (dayTyped = null)}
							onpick={(day) => patch({ day })}
						/>
						<button class="textlink ml-2" onclick={() => patch({ day: null })}>today</button>
					</Popover.Content>
				</Popover.Portal>
			</Popover.Root>
		</p>

		<table class="mt-2 w-full">
			<thead class="sr-only"><tr><th>Field</th><th>Value</th><th>Before</th></tr></thead>
			<tbody>
				{#each inputs as x (x.id)}
					{@const locked = result?.readOnly.has(x.id)}
					{@const touched = s.sent.some(([id]) => id === x.id)}
					{@const changed = result?.changes.find((c) => c.field === x.id)}
					{@const unit = locked && !touched ? '' : (x.unit ?? x.currency ?? '')}
					{@const before = changed && `was ${say(x.id, toJson(changed.from)) || 'blank'}`}
					{@const beside = s.created ? unit : pretending ? 'before' : (before ?? unit)}
					<tr class="border-b border-hairline">
						<td class="w-32 py-1 pr-2 align-top"
							><label class="inline-block pt-1 text-sm" for="s-{x.id}">{x.label}</label></td
						>
						<td class="min-w-40 py-1 align-top">
							{#if pretending && !s.created}
								<ValueInput
									field={x}
									schema={w.schema}
									id="was-{x.id}"
									label="What {x.label} was before"
									value={s.was[x.id] ?? null}
									links={w.titles.all}
									touched={pretended.includes(x.id)}
									onchange={(v, title) => {
										if (title && typeof v === 'string')
											w.titles.learn({ [`${x.target}.${v}`]: title });
										w.pretend(x.id, v);
									}}
								/>
							{:else if locked && !touched}
								<span
									class="mono inline-block pt-1 text-brass-ink"
									title="Only rules set this field">{say(x.id, shown(x.id)) || '—'}</span
								>
							{:else}
								<ValueInput
									field={x}
									schema={w.schema}
									id="s-{x.id}"
									value={shown(x.id)}
									links={w.titles.all}
									{touched}
									only={result?.limited.get(x.id)}
									onchange={(v, title) => {
										if (title && typeof v === 'string')
											w.titles.learn({ [`${x.target}.${v}`]: title });
										w.touch(x.id, v);
									}}
								/>
							{/if}
						</td>
						<td class="py-1 pl-2 text-right align-top text-xs text-quiet">
							{#if beside}<span class="mono inline-block pt-1">{beside}</span>{/if}
							{#if locked}<span class="block pt-1 whitespace-nowrap">only rules set it</span
								>{/if}{#if result?.required.has(x.id)}<span class="block text-brick">required</span
								>{/if}{#if result?.hidden.has(x.id)}<span class="block">hidden</span>{/if}
						</td>
					</tr>
				{/each}
			</tbody>
		</table>
		<div class="flex justify-between">
			<button class="textlink text-sm" onclick={() => (more = !more)}
				>{more
					? 'Only the fields at stake'
					: `${type.fields.length - atStake.length} more fields`}</button
			>
			{#if s.sent.length || s.stored}<button class="textlink text-sm" onclick={back}
					>{s.created ? 'Start over' : 'Back to the stored values'}</button
				>{/if}
		</div>
		<div class="flex justify-between">
			{#if s.created}<span></span>{:else}<button
					class="textlink text-sm"
					aria-pressed={pretending}
					onclick={() => (pretending = !pretending)}
					>{pretending ? 'Now the change' : 'Pretend it was …'}</button
				>{/if}
			<button class="textlink text-sm" onclick={() => tell(`“${w.kept.keep(s)}” is kept beside.`)}
				>Keep it beside</button
			>
		</div>
		{#if pretended.length}
			<p class="mt-1 bg-panel text-sm text-quiet" data-testid="pretended">
				Pretended before the change: {pretended
					.map((id) => `${f(id).label} ${say(id, s.was[id] ?? null) || 'blank'}`)
					.join(', ')}. What is stored is untouched.
			</p>
		{/if}
		<Beside fields={atStake} {field} onpin={takeUp} />

		<div class="mt-4 flex items-center gap-3">
			<h3 class="text-sm whitespace-nowrap">What the draft writes</h3>
			<div class="ticks grow"></div>
		</div>
		<p class="sr-only" role="status">{summary}</p>
		{#each writtenShown as c (c.field)}
			{@const r = report(c.claim!)}
			<div
				class="mt-2 border border-l-4 border-line border-l-brass bg-sheet px-3 py-2"
				data-testid="wrote-{c.field}"
			>
				<div class="flex items-baseline gap-2">
					<strong class="font-semibold">{f(c.field).label}</strong>
					<span
						><s class="text-quiet">{say(c.field, toJson(c.from)) || 'blank'}</s> →
						<strong class="font-semibold">{say(c.field, toJson(c.to)) || 'blank'}</strong></span
					>
				</div>
				{#if r}
					<div class="flex items-baseline justify-between gap-2 text-sm">
						<span>because {reason(w.shown.plan, r, format)}, by “{ruleName(c.claim!)}”.</span>
						{@render why(r)}
					</div>
				{/if}
			</div>
		{:else}
			<p class="mt-1 text-sm text-quiet">
				Nothing.{s.sent.length ? '' : ' Change a value above and see what follows.'}
			</p>
		{/each}
		{#if wrote.length > FIRST_WRITTEN}
			<button
				class="textlink mt-1 text-sm"
				aria-expanded={allWritten}
				onclick={() => (allWritten = !allWritten)}
				>{allWritten ? 'Fewer' : `${wrote.length - FIRST_WRITTEN} more fields written`}</button
			>
		{/if}
		<Elsewhere records={w.elsewhere} putOff={w.putOff} />
		{#if w.near.trouble}
			<p class="mt-2 bg-ochre-wash px-3 py-2 text-sm" role="status" data-testid="near-trouble">
				<span class="text-ochre">▲ not known yet</span> Related records could not be fetched: {w
					.near.trouble} It is tried again by itself.
			</p>
		{/if}
		{#each result?.sends ?? [] as m, i (i)}
			<p
				class="mt-2 border border-l-4 border-line border-l-brass bg-sheet px-3 py-2 text-sm"
				data-testid="sample-sends"
			>
				<span class="text-quiet">sends</span> <strong class="font-semibold">{m.subject}</strong>
				<span class="text-quiet">to</span> <span class="mono">{m.to}</span>, by “{ruleName(
					m.claim
				)}”
			</p>
		{/each}
		{#each result?.messages ?? [] as m, n (n)}
			<p
				class="mt-2 px-3 py-2 text-sm {m.blocking ? 'bg-brick-wash' : 'bg-ochre-wash'}"
				data-testid="said-{m.field}"
			>
				<span class={m.blocking ? 'text-brick' : 'text-ochre'}
					>{m.blocking ? '● blocks' : '▲ advises'}</span
				>
				at <strong>{f(m.field).label}</strong>: {m.text}
			</p>
		{/each}
		{#each result?.setAside ?? [] as a, n (n)}
			<p class="mt-2 bg-ochre-wash px-3 py-2 text-sm">
				▲ <strong>{f(a.field).label}</strong>: {say(a.field, toJson(a.sent)) || 'blank'} was sent and
				set aside; only “{ruleName(a.claim)}” sets it.
			</p>
		{/each}
		{#each result?.failures ?? [] as a, n (n)}
			<p class="mt-2 bg-brick-wash px-3 py-2 text-sm">
				● <strong>{f(a.field).label}</strong>: “{ruleName(a.claim)}” failed. {a.message}
			</p>
		{/each}

		<div class="mt-4 flex items-center gap-3">
			<h3 class="text-sm whitespace-nowrap">Nothing happened</h3>
			<div class="ticks grow"></div>
		</div>
		<ul class="mt-1 text-sm">
			{#each listed as r (r.claim)}
				<li class="flex justify-between gap-2 border-b border-hairline py-1">
					<span
						><strong class="font-semibold">{f(r.field).label}</strong>: {reason(
							w.shown.plan,
							r,
							format
						)}{r.outcome === 'cleared' ? ', so it is blank' : ''}.</span
					>
					{@render why(r)}
				</li>
			{/each}
		</ul>
		{#if mine.length + others.length > listed.length || allReports}
			<button class="textlink text-sm" onclick={() => (allReports = !allReports)}
				>{allReports
					? 'Fewer'
					: `${mine.length + others.length - listed.length} more rules`}</button
			>
		{/if}

		{#if showEdges && edges}
			<div class="mt-4 flex items-center gap-3">
				<h3 class="text-sm whitespace-nowrap">Around each limit</h3>
				<div class="ticks grow"></div>
			</div>
			<table class="mono mt-1 text-sm">
				<tbody>
					{#each tried as t (t.v)}
						<tr
							><td class="pr-4 text-right">{t.v === null ? 'blank' : say(edges.input, t.v)}</td><td
								class="text-brass-ink">{say(field, t.gives) || 'blank'}</td
							></tr
						>
					{/each}
				</tbody>
			</table>
		{/if}
	</div>

	<div class="border-t border-line bg-panel px-5 py-3">
		{#if naming !== null}
			<form
				class="flex gap-2"
				onsubmit={(e) => {
					e.preventDefault();
					void keep();
				}}
			>
				<!-- the person just asked to name it -->
				<!-- svelte-ignore a11y_autofocus -->
				<input
					class="box min-w-0 grow"
					aria-label="Name of the trial"
					autofocus
					bind:value={naming}
					onkeydown={(e) => e.key === 'Escape' && (naming = null)}
				/>
				<button class="button main" disabled={!expectation().length}>Keep</button>
				<button type="button" class="button" onclick={() => (naming = null)}>Cancel</button>
			</form>
			<fieldset class="mt-1 max-h-40 overflow-y-auto text-sm">
				<legend class="text-quiet">It must give</legend>
				{#each offered as x (canonicalJson(x))}
					{@const key = canonicalJson(x)}
					<label class="block py-0.5"
						><input
							type="checkbox"
							checked={!leftOut.includes(key)}
							onchange={(e) =>
								(leftOut = e.currentTarget.checked
									? leftOut.filter((k) => k !== key)
									: [...leftOut, key])}
						/>
						{sayExpectation(s.type, x, trialWords(w))}</label
					>
				{/each}
			</fieldset>
		{:else}
			<div class="flex flex-wrap gap-2">
				<button
					class="button main"
					disabled={!w.canEdit || !result}
					onclick={() => ((naming = suggestion()), (kept = ''), (leftOut = []))}
					>Keep as a trial</button
				>
				{#if edges}<button
						class="button"
						aria-expanded={showEdges}
						onclick={() => (showEdges = !showEdges)}
						>{showEdges ? 'Hide the limits' : 'Try around each limit'}</button
					>{/if}
			</div>
		{/if}
		{#if kept}<p class="text-sm text-brick" role="alert">● {kept}</p>{/if}
	</div>
</div>
