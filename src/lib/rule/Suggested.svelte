<script lang="ts">
	/**
	 * Rules that the stored records propose for a field, with how many each explains and which it does not;
	 * or that agree with a few values typed as examples.
	 */
	import { onDestroy, tick, untrack } from 'svelte';
	import type { Field, JsonValue, Suggestion } from '$core';
	import type { SuggestAnswer } from '../../server/look/suggest.thread';
	import LinkInput from '../inputs/LinkInput.svelte';
	import ValueInput from '../inputs/ValueInput.svelte';
	import { formatCount, formatValue } from '../words/format';
	import { ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';
	import { phraseOf } from './suggested';

	let {
		type,
		field,
		begin,
		onuse
	}: {
		/** Record type. */
		type: string;
		field: Field;
		/** Looks by itself: no rule writes the field yet. */
		begin: boolean;
		onuse: (s: Suggestion) => void;
	} = $props();

	const w = useWorkbench();

	type State =
		| { is: 'idle' }
		| { is: 'looking' }
		| { is: 'failed'; why: string }
		| { is: 'found'; answer: SuggestAnswer };
	let state_ = $state.raw<State>({ is: 'idle' });
	let differing = $state<number | null>(null);
	let asked: AbortController | null = null;

	async function look() {
		asked?.abort();
		const mine = new AbortController();
		asked = mine;
		state_ = { is: 'looking' };
		differing = null;
		try {
			await w.flush();
			const examples = given.map((e) => ({ record: e.id, value: e.value }));
			const answer = await ask<SuggestAnswer>('/look/suggest', {
				method: 'POST',
				body: { type, field: field.id, examples },
				signal: mine.signal
			});
			if (mine !== asked) return;
			w.titles.learn(answer.links);
			state_ = { is: 'found', answer };
		} catch (e) {
			if (mine === asked && !mine.signal.aborted)
				state_ = { is: 'failed', why: (e as Error).message };
		}
	}
	function stop() {
		asked?.abort();
		asked = null;
		state_ = { is: 'idle' };
	}
	// svelte-ignore state_referenced_locally
	if (begin && typeof window !== 'undefined') void untrack(look);
	onDestroy(() => asked?.abort());

	// ---- by example ---------------------------------------------------------------------------

	interface Example {
		id: string;
		title: string;
		values: Record<string, JsonValue>;
		value: JsonValue;
		/** Somebody typed what it should be. */
		said: boolean;
	}
	/** Records that are shown to begin with. */
	const SHOWN = 4;
	let examples = $state<Example[] | null>(null);
	const given = $derived((examples ?? []).filter((e) => e.said));
	/** What is seen of each: the columns of the list of records. */
	const columns = $derived(
		w.schema
			.type(type)
			.type.columns.map((id) => w.schema.field(type, id))
			.filter(
				(f): f is Field => !!f && f.id !== field.id && f.id !== w.schema.type(type).type.title
			)
			.slice(0, 2)
	);

	async function record(id: string): Promise<Example | null> {
		try {
			const r = await ask<{
				title: string;
				values: Record<string, JsonValue>;
				links: Record<string, string>;
			}>(`/look/samples?type=${type}&id=${id}`);
			w.titles.learn(r.links);
			return {
				id,
				title: r.title,
				values: r.values,
				value: r.values[field.id] ?? null,
				said: false
			};
		} catch {
			return null;
		}
	}
	async function byExample() {
		examples = [];
		try {
			const some = await ask<{ id: string }[]>(`/look/samples?type=${type}`);
			const pinned = w.sample?.type === type && w.sample.id ? [w.sample.id] : [];
			const ids = [...new Set([...pinned, ...some.map((s) => s.id)])].slice(0, SHOWN);
			const read = await Promise.all(ids.map(record));
			examples = read.filter((e): e is Example => e !== null);
			await tick();
			document.querySelector<HTMLElement>('[id^="example-"]')?.focus();
		} catch (e) {
			state_ = { is: 'failed', why: (e as Error).message };
		}
	}
	async function another(id: JsonValue) {
		if (typeof id !== 'string' || !examples || examples.some((e) => e.id === id)) return;
		const made = await record(id);
		if (made) examples = [...examples, made];
	}
	const say = (id: string, value: JsonValue) =>
		(examples = (examples ?? []).map((e) => (e.id === id ? { ...e, value, said: true } : e)));
	function stored() {
		examples = null;
		void look();
	}

	const text = (f: Field, v: JsonValue) =>
		v === null ? 'blank' : formatValue(f, v, w.schema, w.titles.all);
	const share = (s: Suggestion, of: SuggestAnswer) =>
		of.examples ? (100 * s.agrees) / of.examples : (100 * s.explains) / Math.max(1, s.of);
	const plural = $derived(w.schema.type(type).type.plural.toLowerCase());
	const looked = $derived(state_.is === 'found' ? state_.answer : null);
</script>

<section class="mt-5 border border-line bg-sheet px-4 py-3" aria-labelledby="suggested">
	<div class="flex flex-wrap items-baseline gap-x-2">
		<h2 id="suggested" class="text-sm font-semibold">Suggested by the records</h2>
		<span class="text-sm text-quiet" role="status">
			{#if state_.is === 'looking'}looking…
			{:else if looked && looked.found.length}
				{looked.examples
					? `what agrees with ${looked.examples === 1 ? 'the example' : `the ${looked.examples} examples`}, simplest first`
					: 'what stored values would agree with, simplest first'}
			{/if}
		</span>
		<span class="grow"></span>
		<!-- one button, so that the focus stays on it -->
		<button
			class="textlink text-sm"
			onclick={() => (state_.is === 'looking' ? stop() : void look())}
			>{state_.is === 'looking'
				? 'stop'
				: state_.is === 'idle'
					? 'Look for rules in the records'
					: 'Look again'}</button
		>
	</div>
	{#if state_.is === 'failed'}
		<p class="mt-1 text-sm text-brick" role="alert">
			● {state_.why}
		</p>
	{:else if looked}
		{#if !looked.of}
			<p class="mt-1 text-sm text-quiet">There are no {plural} yet.</p>
		{:else if !looked.found.length}
			<p class="mt-1 text-sm text-quiet">
				{looked.examples
					? 'Nothing tried gives all these values.'
					: looked.given
						? `Nothing tried explains the values of ${formatCount(looked.given)} of ${formatCount(looked.of)} ${plural} better than chance would.`
						: `${field.label} is blank in all ${formatCount(looked.of)} ${plural} that were looked at.`}
			</p>
		{/if}
		<ol class="mt-1">
			{#each looked.found as s, i (i)}
				{@const left = s.of - s.explains}
				<li class="row">
					<p class="min-w-0 text-sm">
						{#each phraseOf(s, field, w.schema, w.sayValue) as p, k (k)}{#if p.reads}<span
									class="font-medium text-teal">{p.text}</span
								>{:else}{p.text}{/if}{/each}
					</p>
					<div class="w-40">
						{#if looked.examples}
							<p class="text-sm">
								<span class="mono">{s.agrees}</span> of {looked.examples} examples
							</p>
						{:else}
							<p class="text-sm">
								<span class="mono">{formatCount(s.explains)}</span> of {formatCount(s.of)}
							</p>
						{/if}
						<div class="bar" aria-hidden="true">
							<div style:width="{share(s, looked)}%"></div>
						</div>
						{#if looked.examples}<p class="text-xs text-quiet">
								{formatCount(s.explains)} of {formatCount(s.of)} as stored
							</p>{/if}
						{#if left}<p class="text-xs">
								<button
									class="textlink"
									aria-expanded={differing === i}
									onclick={() => (differing = differing === i ? null : i)}
									>{formatCount(left)} differ{left === 1 ? 's' : ''}</button
								>
							</p>{/if}
					</div>
					<button class="button" onclick={() => onuse(s)}>Use</button>
				</li>
				{#if differing === i}
					<li class="mb-2 max-h-64 overflow-y-auto border border-hairline">
						<table class="w-full text-sm">
							<thead>
								<tr class="text-left text-quiet">
									<th class="px-2 py-1 font-normal">{w.schema.type(type).type.label}</th>
									<th class="px-2 py-1 font-normal">has</th>
									<th class="px-2 py-1 font-normal">the rule would give</th>
								</tr>
							</thead>
							<tbody>
								{#each s.differ as d (d.id)}
									<tr class="border-t border-hairline">
										<td class="px-2 py-0.5"
											><a class="textlink" href="/records/{type}/{d.id}"
												>{looked.titles[d.id] ?? `No. ${d.id}`}</a
											></td
										>
										<td class="mono px-2 py-0.5">{text(field, d.stored)}</td>
										<td class="mono px-2 py-0.5">{text(field, d.gives)}</td>
									</tr>
								{/each}
							</tbody>
						</table>
						{#if s.differ.length < left}<p class="px-2 py-1 text-xs text-quiet">
								{formatCount(s.differ.length)} of {formatCount(left)} are shown.
							</p>{/if}
					</li>
				{/if}
			{/each}
		</ol>
	{/if}
	{#if state_.is !== 'idle' || examples}
		<p class="mt-1 text-sm">
			{#if !examples}<button class="textlink" onclick={byExample}>Show it by example instead</button
				>
			{:else}<button class="textlink" onclick={stored}>Go by the stored values</button>{/if}
		</p>
	{/if}
	{#if examples}
		<p class="mt-2 text-sm text-quiet">
			Say what {field.label} should be in two records or more; what is proposed agrees with these first.
		</p>
		<table class="mt-1 w-full text-sm">
			<thead>
				<tr class="text-left text-quiet">
					<th class="py-1 pr-2 font-normal">{w.schema.type(type).type.label}</th>
					{#each columns as c (c.id)}<th class="py-1 pr-2 font-normal">{c.label}</th>{/each}
					<th class="py-1 pr-2 font-normal">has</th>
					<th class="py-1 font-normal">should have</th>
				</tr>
			</thead>
			<tbody>
				{#each examples as e (e.id)}
					<tr class="border-t border-hairline">
						<td class="py-1 pr-2">{e.title}</td>
						{#each columns as c (c.id)}<td class="mono py-1 pr-2"
								>{text(c, e.values[c.id] ?? null)}</td
							>{/each}
						<td class="mono py-1 pr-2 text-quiet">{text(field, e.values[field.id] ?? null)}</td>
						<td class="w-48 py-1"
							><ValueInput
								{field}
								schema={w.schema}
								value={e.value}
								id="example-{e.id}"
								label="What {field.label} of {e.title} should be"
								links={w.titles.all}
								touched={e.said}
								onchange={(v) => say(e.id, v)}
							/></td
						>
					</tr>
				{/each}
			</tbody>
		</table>
		<div class="mt-2 flex items-center gap-3">
			<button class="button" disabled={given.length < 2} onclick={look}>
				Look for rules that agree
			</button>
			<label class="text-sm text-quiet" for="another-example">another record</label>
			<div class="w-52">
				{#key examples.length}<LinkInput
						id="another-example"
						value={null}
						title=""
						target={type}
						onchange={another}
					/>{/key}
			</div>
		</div>
	{/if}
</section>

<style>
	.row {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto auto;
		align-items: center;
		gap: 0 16px;
		padding: 6px 0;
		border-top: 1px solid var(--color-hairline);
	}
	.bar {
		height: 6px;
		background: var(--color-band-1);
	}
	.bar > div {
		height: 100%;
		background: var(--color-band-4);
	}
</style>
