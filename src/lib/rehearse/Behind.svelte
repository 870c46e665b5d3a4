<script lang="ts">
	/** The records behind something that a rehearsal tells: before, now and after, or what is said of them. */
	import { isNumeric, type JsonValue } from '$core';
	import type { Behind } from '$server/db/rehearsals';
	import Grid from '../grid/Grid.svelte';
	import type { GridColumn } from '../grid/columns';
	import { formatCount } from '../words/format';
	import { Refused, ask } from '../work/http';
	import { offerFile, writeCells } from '../work/csv';
	import { useWorkbench } from '../work/workbench.svelte';
	import { sayValueOf } from './words';

	let {
		rehearsal,
		type,
		field,
		about,
		query,
		count,
		before,
		after,
		rules
	}: {
		rehearsal: string;
		type: string;
		/** Whose values move; null where what is said is shown. */
		field: string | null;
		about: string;
		/** Which of them, as the address says it. */
		query: Record<string, string>;
		/** How many there are; null where that is not known. */
		count: number | null;
		/** What the two versions are called. */
		before: string;
		after: string;
		rules: Record<string, { id: string; name: string }>;
	} = $props();

	const w = useWorkbench();
	let rows = $state.raw<Behind[] | null>(null);
	let more = $state(false);
	let trouble = $state<string | null>(null);
	let busy = $state(false);

	const from = (last: string) => {
		const q = new URLSearchParams({ about, ...query, after: last });
		return ask<{ rows: Behind[]; more: boolean }>(
			`/rehearsals/${rehearsal}/behind?${q.toString()}`
		);
	};
	$effect(() => {
		let gone = false;
		rows = null;
		trouble = null;
		from('0').then(
			(got) => {
				if (gone) return;
				({ rows, more } = got);
			},
			(e: unknown) => {
				if (!gone) trouble = e instanceof Refused ? e.message : String(e);
			}
		);
		return () => {
			gone = true;
		};
	});
	async function further() {
		busy = true;
		try {
			const got = await from(rows!.at(-1)!.id);
			rows = [...rows!, ...got.rows];
			more = got.more;
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		} finally {
			busy = false;
		}
	}
	/** All of them, whatever is shown. */
	async function file() {
		busy = true;
		try {
			const all: Behind[] = [];
			for (let last = '0', on = true; on;) {
				const got = await from(last);
				all.push(...got.rows);
				on = got.more;
				last = got.rows.at(-1)?.id ?? last;
			}
			const head = ['No.', ...columns.map((c) => c.label)];
			const lines = all.map((r) => [r.id, ...columns.map((c) => c.text!(r))]);
			offerFile('rehearsed.csv', writeCells([head, ...lines]), 'text/csv');
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		} finally {
			busy = false;
		}
	}
	const of = $derived(field === null ? undefined : w.schema.field(type, field));
	const numeric = $derived(!!of && isNumeric(of));
	const say = (v: JsonValue) => (field ? sayValueOf(w, type, field, v) : String(v ?? ''));
	const text = (id: string, label: string, width: number, grow = false): GridColumn<Behind> => ({
		id,
		label,
		value: (r) => String(r.doc[id] ?? ''),
		text: (r) => String(r.doc[id] ?? ''),
		width,
		grow
	});
	const ruleOf = (r: Behind) => rules[String(r.doc.claim)]?.name ?? 'nothing gives it any more';
	const hand = (r: Behind) => (r.doc.overwritten ? 'by hand' : '');
	const several = $derived(new Set(rows?.map((r) => r.doc.claim)).size > 1);
	const byHand = $derived(rows?.some((r) => r.doc.overwritten) ?? false);
	const columns = $derived<GridColumn<Behind>[]>([
		{
			id: 'record',
			label: w.schema.types.get(type)?.type.label ?? 'Record',
			value: (r) => r.title,
			text: (r) => r.title,
			width: field ? 150 : 260,
			grow: field !== null
		},
		...(field
			? [
					...(
						[
							['stored', 'Stored now'],
							['from', `${before} gives`],
							['to', `${after} gives`]
						] as const
					).map(([id, label]): GridColumn<Behind> => ({
						id,
						label,
						value: (r) =>
							numeric && r.doc[id] !== null
								? Number(r.doc[id])
								: r.doc[id] === null
									? null
									: say(r.doc[id]),
						text: (r) => say(r.doc[id]),
						numeric,
						width: 132
					})),
					...(several
						? [{ id: 'rule', label: 'By', value: ruleOf, text: ruleOf, pick: true, width: 150 }]
						: []),
					...(byHand
						? [{ id: 'hand', label: 'Entered', value: hand, text: hand, pick: true, width: 90 }]
						: [])
				]
			: about.startsWith('sends ')
				? [text('to', 'To', 190), text('subject', 'Subject', 220), text('text', 'Text', 280, true)]
				: [text('text', 'What it says', 400, true)])
	]);
	const at = $derived(field ?? w.schema.types.get(type)?.type.title ?? '');
</script>

{#if trouble}<p class="mt-2 text-brick" role="alert">● {trouble}</p>
{:else if !rows}<p class="mt-2 text-quiet">… The records are being fetched.</p>
{:else}
	<!-- a frame of its own height: only the rows that are seen are drawn -->
	<div class="flex max-h-[70vh] flex-col">
		<Grid
			label="Records behind it"
			{rows}
			{columns}
			key={(r, i) => `${r.id} ${i}`}
			remember="rehearsed"
		>
			{#snippet bar()}<button class="textlink text-sm" disabled={busy} onclick={() => void file()}
					>{count === null ? 'All of them' : `All ${formatCount(count)}`} as CSV</button
				>{/snippet}
			{#snippet cell(r, c)}
				{#if c.id === 'record'}<a class="textlink" href="/write/{type}/{at}?sample={r.id}"
						>{r.title}</a
					>{:else if c.id === 'stored'}<span class="mono text-quiet">{c.text!(r)}</span
					>{:else if c.id === 'from'}<span class="mono">{c.text!(r)}</span
					>{:else if c.id === 'to' && field}<span class="mono font-semibold text-brass-ink"
						>{c.text!(r)}</span
					>{:else}<span class={c.id === 'hand' ? 'text-ochre' : ''}>{c.text!(r)}</span>{/if}
			{/snippet}
		</Grid>
	</div>
	{#if more}<p class="mt-1 text-sm text-quiet">
			The first {formatCount(rows.length)}{count === null ? '' : ` of ${formatCount(count)}`}.
			<button class="textlink" disabled={busy} onclick={() => void further()}>More of them</button>
		</p>{/if}
{/if}
