<script lang="ts">
	/** The records, or of a replay the changes, behind something that is told: before, now and after, or what is said. */
	import { ENTRY_LABEL, isNumeric, type EntryPoint, type JsonValue } from '$core';
	import type { Behind } from '$server/db/rehearsals';
	import Grid from '../grid/Grid.svelte';
	import type { GridColumn } from '../grid/columns';
	import { formatCount, formatMoment } from '../words/format';
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
		rules,
		changes
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
		/** It is of changes that were made. */
		changes: boolean;
	} = $props();

	const w = useWorkbench();
	type Row = Behind & { row: string };
	let rows = $state.raw<Row[] | null>(null);
	let more = $state(false);
	let trouble = $state<string | null>(null);
	let busy = $state(false);

	const from = (last: string | null) => {
		const q = new URLSearchParams({ about, ...query, ...(last === null ? {} : { after: last }) });
		return ask<{ rows: Row[]; more: boolean }>(`/rehearsals/${rehearsal}/behind?${q.toString()}`);
	};
	$effect(() => {
		let gone = false;
		rows = null;
		trouble = null;
		from(null).then(
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
			const got = await from(rows!.at(-1)!.row);
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
			const all: Row[] = [];
			for (let last: string | null = null, on = true; on;) {
				const got: { rows: Row[]; more: boolean } = await from(last);
				all.push(...got.rows);
				on = got.more;
				last = got.rows.at(-1)?.row ?? last;
			}
			const head = ['No.', ...columns.map((c) => c.label)];
			const lines = all.map((r) => [r.id, ...columns.map((c) => c.text!(r))]);
			offerFile(
				changes ? 'replayed.csv' : 'rehearsed.csv',
				writeCells([head, ...lines]),
				'text/csv'
			);
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
	const hand = (r: Behind) => (r.doc.overwritten ? (changes ? 'in this change' : 'by hand') : '');
	const first = (r: Behind) => (r.doc.follows ? 'only an earlier change' : 'this change');
	const follows = $derived(rows?.some((r) => r.doc.follows) ?? false);
	const when = (r: Behind) => formatMoment(String(r.doc.at ?? ''), w.model.zone);
	const road = (r: Behind) => ENTRY_LABEL[r.doc.road as EntryPoint] ?? '';
	const several = $derived(new Set(rows?.map((r) => r.doc.claim)).size > 1);
	const byHand = $derived(rows?.some((r) => r.doc.overwritten) ?? false);
	const fromBefore = $derived(['from', before] as const);
	const toAfter = $derived(['to', after] as const);
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
					...(changes
						? ([fromBefore, toAfter, ['stored', 'Recorded']] as const)
						: ([['stored', 'Stored now'], fromBefore, toAfter] as const)
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
						width: changes ? 108 : 132
					})),
					...(several
						? [{ id: 'rule', label: 'By', value: ruleOf, text: ruleOf, pick: true, width: 150 }]
						: []),
					...(follows
						? [
								{
									id: 'first',
									label: 'Because of',
									value: first,
									text: first,
									pick: true,
									width: 150
								}
							]
						: []),
					...(byHand
						? [
								{
									id: 'hand',
									label: changes ? 'Sent' : 'Entered',
									value: hand,
									text: hand,
									pick: true,
									width: 90
								}
							]
						: [])
				]
			: /^(sends|unsent) /.test(about)
				? [text('to', 'To', 190), text('subject', 'Subject', 220), text('text', 'Text', 280, true)]
				: [text('text', 'What it says', 400, true)]),
		...(changes
			? [
					{
						id: 'at',
						label: 'When',
						value: (r: Behind) => String(r.doc.at),
						text: when,
						width: 140
					},
					{ ...text('who', 'Who', 120), pick: true },
					{ id: 'road', label: 'Road', value: road, text: road, pick: true, width: 100 }
				]
			: [])
	]);
	const at = $derived(field ?? w.schema.types.get(type)?.type.title ?? '');
</script>

{#if trouble}<p class="mt-2 text-brick" role="alert">● {trouble}</p>
{:else if !rows}<p class="mt-2 text-quiet">
		… {changes ? 'The changes' : 'The records'} are being fetched.
	</p>
{:else}
	<!-- a frame of its own height: only the rows that are seen are drawn -->
	<div class="flex max-h-[70vh] flex-col">
		<Grid
			label={changes ? 'Changes behind it' : 'Records behind it'}
			{rows}
			{columns}
			key={(r, i) => `${r.id} ${i}`}
			remember={changes ? 'replayed' : 'rehearsed'}
		>
			{#snippet bar()}<button class="textlink text-sm" disabled={busy} onclick={() => void file()}
					>{count === null ? 'All of them' : `All ${formatCount(count)}`} as CSV</button
				>{/snippet}
			{#snippet cell(r, c)}
				{#if c.id === 'record' && r.id === '0'}{r.title}{:else if c.id === 'record'}<a
						class="textlink"
						href={changes ? `/records/${type}/${r.id}` : `/write/${type}/${at}?sample=${r.id}`}
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
