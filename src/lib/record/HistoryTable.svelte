<script lang="ts">
	/** What happened to a record, change by change, with who and why. */
	import { ROAD_LABEL, HOLD_VERB } from '$core';
	import { page } from '$app/state';
	import type { HistoryEntry } from '$server/db/history';
	import type { HistoryPart } from '$server/records/view';
	import { formatMoment } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		type,
		id,
		history,
		part,
		along,
		say,
		label
	}: {
		type: string;
		id: string;
		history: readonly HistoryEntry[];
		part: HistoryPart;
		/** Other records of the same change. */
		along: (change: string) => readonly { type: string; record: string }[];
		/** A value of a field, and what the field was called, as they were at that time. */
		say: (field: string, v: unknown, at: string) => string;
		label: (field: string, at: string) => string;
	} = $props();

	const w = useWorkbench();
	/** This page with another part of the history. */
	const before = (change: string | null) => {
		const q = new URLSearchParams(page.url.searchParams);
		if (change) q.set('before', change);
		else q.delete('before');
		return `?${q}#history`;
	};
	const ends = $derived(part.knownFrom && formatMoment(part.knownFrom, w.model.zone));
	/** How a claim holds its field, where its rule is in force. */
	const verb = (claim: string) => {
		const [rule, id] = claim.split(':');
		const held = w.force.set.rules
			.find((r) => r.id === rule)
			?.outputs.find((o) => o.id === id)?.hold;
		return held ? HOLD_VERB[held] : '';
	};
</script>

{#if part.before}
	<p class="mb-1 text-sm" role="status">
		What happened until {formatMoment(part.before.at, w.model.zone)}.
		<a class="textlink" href={before(null)}>The newest changes</a>
	</p>
{/if}
<table class="grid-table text-sm">
	<thead
		><tr><th>When</th><th>Who</th><th>Field</th><th>From</th><th>To</th><th>Because</th></tr></thead
	>
	<tbody>
		{#snippet whence(h: HistoryEntry)}
			<td class="whitespace-nowrap">{formatMoment(h.at, w.model.zone)}</td>
			<td class="whitespace-nowrap"
				>{h.who ?? ''}
				<div class="text-xs text-quiet">
					{h.made ? 'made by' : 'by'} the {ROAD_LABEL[h.entryPoint]}{#if h.began}, at <a
							class="textlink min-h-0"
							href="/records/{h.began.type}/{h.began.record}"
							>{w.titles.all[`${h.began.type}.${h.began.record}`] ?? `No. ${h.began.record}`}</a
						>{/if}
				</div></td
			>
		{/snippet}
		{#each history as h (h.change)}
			{#if !h.lines.length}
				<tr id="change-{h.change}">
					{@render whence(h)}
					<td colspan="4" class="text-quiet">made with nothing in it</td>
				</tr>
			{/if}
			{#each h.lines as l, i (i)}
				<tr id={i === 0 ? `change-${h.change}` : undefined}>
					{#if i === 0}{@render whence(h)}{:else}<td></td><td></td>{/if}
					<td
						>{l.outcome === 'sent'
							? 'Messages'
							: l.outcome === 'deleted'
								? ''
								: label(l.field, h.at)}</td
					>
					{#if l.outcome === 'sent'}
						<td></td>
						<td class="mono text-brass-ink">{String(l.now)} sent</td>
					{:else if l.outcome === 'set'}
						<td class="mono text-quiet">{say(l.field, l.was, h.at)}</td>
						<td class="mono {l.claim ? 'font-semibold text-brass-ink' : ''}"
							>{say(l.field, l.now, h.at)}</td
						>
					{:else if l.outcome === 'set aside'}
						<td class="mono text-quiet">{say(l.field, l.was, h.at)}</td>
						<td
							><span class="text-ochre">▲ set aside</span>
							<span class="mono">{say(l.field, l.now, h.at)}</span></td
						>
					{:else if l.outcome === 'deleted'}
						<td></td>
						<td>deleted</td>
					{:else if l.outcome === 'nothing'}
						<td></td>
						<td class="text-quiet">nothing happened</td>
					{:else}
						<td></td>
						<td class="text-brick">● failed</td>
					{/if}
					<td
						>{#if l.claim}{#if verb(l.claim)}<span class="text-quiet"
									>{verb(l.claim)}:
								</span>{/if}{l.because}.
							<a
								class="textlink min-h-0"
								href="/write/{type}/{l.field}?sample={id}#rule-{l.claim.split(':')[0]}"
								>{l.ruleName}</a
							>
							<span class="text-quiet">of v{h.release}</span>{:else if l.outcome !== 'deleted'}<span
								class="text-quiet">{l.because ?? 'entered'}</span
							>{/if}</td
					>
				</tr>
			{/each}
			{#if along(h.change).length}
				<tr>
					<td></td>
					<td></td>
					<td colspan="4" class="text-quiet"
						>in the same change
						{#each along(h.change).slice(0, 8) as o, i (o.type + o.record)}{i ? ', ' : ' '}<a
								class="textlink"
								href="/records/{o.type}/{o.record}"
								>{w.titles.all[`${o.type}.${o.record}`] ?? `No. ${o.record}`}</a
							>{/each}{along(h.change).length > 8
							? ` and ${along(h.change).length - 8} more`
							: ''}</td
					>
				</tr>
			{/if}
		{:else}
			<tr
				><td colspan="6" class="text-quiet"
					>{part.before
						? 'Nothing is told of what came before.'
						: ends
							? 'Nothing has changed since.'
							: 'Nothing has changed since this record was taken over.'}</td
				></tr
			>
		{/each}
	</tbody>
</table>
{#if ends}<p class="mt-1 text-sm text-ochre">
		▲ History is kept from {ends} on.
		{Date.parse(history.at(-1)?.at ?? part.knownFrom!) < Date.parse(part.knownFrom!)
			? 'Of what happened before that, only what a kept message came of is told.'
			: 'What happened before that is not known.'}
	</p>{/if}
{#if part.older}
	<p class="mt-2 text-sm"><a class="textlink" href={before(part.older)}>Older changes</a></p>
{/if}
