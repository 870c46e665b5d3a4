<script lang="ts">
	/** One thing that a rehearsal tells, as a picture, with the records behind it. */
	import type { JsonValue, Surprise } from '$core';
	import type { KeptRehearsal, RehearsalResult } from '$server/db/rehearsals';
	import { capital, formatCount, sayVersionOf } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';
	import Behind from './Behind.svelte';
	import Flow from './Flow.svelte';
	import Shift from './Shift.svelte';
	import Days from './Days.svelte';
	import { behindSurprise, sayField, saySurprise, sayValueOf } from './words';

	let {
		result,
		shown,
		about,
		surprise,
		rule
	}: {
		result: RehearsalResult;
		shown: KeptRehearsal;
		/** What the records are behind: `value type.field`, `refused claim` or `sends claim`. */
		about: string;
		/** The surprise that it is, and the rule that it is told for. */
		surprise: Surprise | null;
		rule: string | null;
	} = $props();

	const w = useWorkbench();
	const field = $derived(result.fields.find((f) => about === `value ${f.type}.${f.field}`) ?? null);
	const refusal = $derived(
		result.refused.find((r) => about === `refused ${r.claim}`) ??
			result.replay?.admitted.find((r) => about === `admitted ${r.claim}`) ??
			null
	);
	const sending = $derived(
		result.sends.find((r) => about === `sends ${r.claim}`) ??
			result.replay?.unsent.find((r) => about === `unsent ${r.claim}`) ??
			null
	);
	/** What is counted. */
	const things = $derived(result.replay ? 'changes' : 'records');

	/** Which of the field's records are seen. */
	type Mark =
		| { kind: 'move'; from: JsonValue; to: JsonValue; count: number }
		| { kind: 'range'; least: number; most: number }
		| { kind: 'claim'; claim: string | null; count: number };
	let mark = $state.raw<Mark | null>(null);
	/** What the rule that was chosen gives of it. */
	const byRule = $derived(
		rule === null
			? undefined
			: field?.by.find((b) => b.claim !== null && result.rules[b.claim]?.id === rule)
	);
	const only = $derived(surprise ? behindSurprise(surprise).only : undefined);
	const query = $derived.by((): Record<string, string> => {
		const surprising: Record<string, string> = only ? { only } : {};
		switch (mark?.kind) {
			case undefined:
				return { ...surprising, ...(byRule && { claim: byRule.claim ?? '-' }) };
			case 'move':
				return { ...surprising, from: JSON.stringify(mark.from), to: JSON.stringify(mark.to) };
			case 'range':
				return { ...surprising, least: String(mark.least), most: String(mark.most) };
			case 'claim':
				return { ...surprising, claim: mark.claim ?? '-' };
		}
	});
	/** How many records that are; null where only the records themselves tell. */
	const count = $derived.by(() => {
		if (mark) return mark.kind === 'range' || only ? null : mark.count;
		return surprise?.count ?? (byRule ?? field ?? refusal ?? sending)?.count ?? null;
	});

	const type = $derived(field?.type ?? refusal?.type ?? sending?.type ?? '');
	const say = (v: JsonValue) => (field ? sayValueOf(w, field.type, field.field, v) : '');
	/** What is of several currencies is not added up. */
	const severalCurrencies = $derived(
		!!field && !!w.schema.field(field.type, field.field)?.currencyField
	);
	const others = $derived(field ? field.count - field.moves.reduce((n, m) => n + m.count, 0) : 0);
</script>

{#if result.replay}<Days days={result.replay.days} />{/if}
{#if surprise}
	{@const told = saySurprise(w, result, surprise)}
	{#if told.more}<p class="mb-2 text-sm">{told.more}</p>{/if}
{/if}
{#if field}
	<h2 class="text-base">
		{sayField(w, `${field.type}.${field.field}`)}
		<span class="font-normal text-quiet"
			>{shown.rows
				? `by the rows of “${shown.rows.label}” as they stood, and as edited`
				: `from ${sayVersionOf(shown, 'before')} to ${sayVersionOf(shown, 'after')}`}</span
		>
	</h2>
	{#if field.shift && !(field.moves.length <= 8 && !others)}
		<div class="mt-2">
			<Shift
				shift={field.shift}
				count={field.count}
				{things}
				added={!severalCurrencies}
				{say}
				picked={mark?.kind === 'range' ? mark : null}
				onpick={(r) => (mark = { kind: 'range', ...r })}
			/>
		</div>
		{#if field.shift.largest.length}
			<h3 class="mt-3 text-sm">Largest changes</h3>
			<ul class="text-sm">
				{#each field.shift.largest.slice(0, 5) as x (x.id)}
					<li>
						<a class="textlink" href="/write/{field.type}/{field.field}?sample={x.id}">{x.title}</a>
						<span class="mono">{say(x.from)}</span> →
						<span class="mono font-semibold text-brass-ink">{say(x.to)}</span>
					</li>
				{/each}
			</ul>
		{/if}
	{:else}
		<div class="mt-2">
			<Flow
				moves={field.moves}
				{say}
				picked={mark?.kind === 'move' ? mark : null}
				onpick={(m) => (mark = { kind: 'move', ...m })}
			/>
		</div>
		<ul class="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-sm" aria-label="Moves">
			{#each field.moves.slice(0, 12) as m, i (i)}
				<li>
					<button
						class="textlink inline-flex min-h-6 gap-1"
						aria-pressed={mark?.kind === 'move' &&
							JSON.stringify([mark.from, mark.to]) === JSON.stringify([m.from, m.to])}
						onclick={() => (mark = { kind: 'move', ...m })}
						>{say(m.from)} →
						<strong class="font-semibold text-brass-ink">{say(m.to)}</strong>
						<span class="mono text-quiet">{formatCount(m.count)}</span></button
					>
				</li>
			{/each}
		</ul>
		{#if others}<p class="mt-1 text-sm text-quiet">
				and {formatCount(others)}
				{things} that move otherwise.
			</p>{/if}
		{#if field.shift && !severalCurrencies}<p class="mt-1 text-sm">
				Together <span class="mono">{say(field.shift.before.sum)}</span> →
				<span class="mono font-semibold text-brass-ink">{say(field.shift.after.sum)}</span>
			</p>{/if}
	{/if}
	{#if field.by.length > 1}
		<p class="mt-2 flex flex-wrap gap-x-4 text-sm">
			<span class="text-quiet">Given by</span>
			{#each field.by as b (b.claim)}<button
					class="textlink inline-flex min-h-6 gap-1"
					aria-pressed={mark?.kind === 'claim' && mark.claim === b.claim}
					onclick={() => (mark = { kind: 'claim', ...b })}
					>{b.claim === null ? 'no rule any more' : (result.rules[b.claim]?.name ?? b.claim)}
					<span class="mono text-quiet">{formatCount(b.count)}</span></button
				>{/each}
		</p>
	{/if}
{:else if refusal}
	<h2 class="text-base">
		{result.rules[refusal.claim]?.name ?? refusal.claim}
		<span class="font-normal text-quiet">at {sayField(w, `${refusal.type}.${refusal.field}`)}</span>
	</h2>
	<p class="mt-1">“{refusal.text}”</p>
{:else if sending}
	<h2 class="text-base">{result.rules[sending.claim]?.name ?? sending.claim}</h2>
	{#each sending.texts as t, i (i)}
		<div class="mt-2 border border-line bg-sheet p-3 text-sm">
			<p>
				<span class="text-quiet">To</span>
				{t.to} <span class="text-quiet">about</span>
				{t.title}
			</p>
			<p class="font-semibold">{t.subject}</p>
			<p class="whitespace-pre-line">{t.text}</p>
		</div>
	{/each}
{/if}
<div class="ticks mt-4"></div>
{#if mark}<p class="mt-1 text-sm">
		{#if mark.kind === 'move'}Only {say(mark.from)} → {say(mark.to)}.
		{:else if mark.kind === 'range'}Only those in the stretch that is marked.
		{:else}Only what {mark.claim === null
				? 'no rule gives any more'
				: `“${result.rules[mark.claim]?.name ?? mark.claim}” gives`}.{/if}
		<button class="textlink" onclick={() => (mark = null)}>All of them</button>
	</p>{/if}
{#key `${shown.id} ${about} ${JSON.stringify(query)}`}
	<Behind
		rehearsal={shown.id}
		{type}
		field={field?.field ?? null}
		{about}
		{query}
		{count}
		before={shown.rows ? 'By the rows before' : `${capital(sayVersionOf(shown, 'before'))} gives`}
		after={shown.rows ? 'By the edited rows' : `${capital(sayVersionOf(shown, 'after'))} gives`}
		rules={result.rules}
		changes={!!result.replay}
	/>
{/key}
