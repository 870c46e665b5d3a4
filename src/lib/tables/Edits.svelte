<script lang="ts">
	/** The edits of a living table: by whom, when and why, what each did row by row, and what became of the records. */
	import { Collapsible } from 'bits-ui';
	import type { ReferenceTable, RowEdit, TableColumn } from '$core';
	import { sameCells } from '$core';
	import type { LivingEdit } from '$server/db/living';
	import { Refused, ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';
	import { formatCount, formatMoment } from '../words/format';
	import { sayCell } from './words';

	let {
		table,
		edits,
		more,
		mayEdit,
		onmore,
		ondone
	}: {
		table: ReferenceTable;
		edits: readonly LivingEdit[];
		/** There are older ones. */
		more: boolean;
		mayEdit: boolean;
		onmore: () => void;
		ondone: (said: string) => void;
	} = $props();

	const w = useWorkbench();
	const say = (c: TableColumn, cells: RowEdit['before']) => sayCell(w, c, cells?.[c.id] ?? null);
	let open = $state.raw<Record<number, RowEdit[]>>({});
	let trouble = $state.raw<{ number: number; message: string } | null>(null);
	let busy = $state(false);
	/** Rows of an edit that are shown. */
	const MOST = 200;

	const did = (e: LivingEdit) =>
		[
			e.added && `${formatCount(e.added)} new`,
			e.changed && `${formatCount(e.changed)} changed`,
			e.removed && `${formatCount(e.removed)} taken away`
		]
			.filter(Boolean)
			.join(', ') || 'nothing';
	async function see(number: number) {
		if (open[number]) {
			const { [number]: _, ...rest } = open;
			open = rest;
			return;
		}
		try {
			const { rows } = await ask<{ rows: RowEdit[] }>(`/tables/${table.id}/rows/${number}`);
			open = { ...open, [number]: rows };
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = { number, message: e.message };
		}
	}
	async function back(number: number) {
		busy = true;
		trouble = null;
		try {
			const answer = await ask<{ number?: number; overtaken?: { by: string | null }[] }>(
				`/tables/${table.id}/rows/${number}`,
				{ method: 'POST', body: { brings: true } }
			);
			await w.reload();
			if (answer.overtaken) {
				const [first] = answer.overtaken;
				trouble = {
					number,
					message: `${answer.overtaken.length} of its rows ${answer.overtaken.length === 1 ? 'was' : 'were'} edited since, last by ${first.by ?? 'somebody'}: nothing was taken back. Take that edit back first, or edit the rows.`
				};
			} else
				ondone(
					`Edit ${number} is taken back, as edit ${answer.number}. The records follow by a job.`
				);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = { number, message: e.message };
		} finally {
			busy = false;
		}
	}
	const label = (type: string, field: string) =>
		`${w.schema.types.get(type)?.type.plural ?? type}: ${w.schema.field(type, field)?.label ?? field}`;
</script>

<Collapsible.Root class="mt-1 text-sm">
	<Collapsible.Trigger class="flex min-h-7 items-center gap-2 font-semibold">
		{#snippet child({ props })}<button {...props}
				><span aria-hidden="true">{props['aria-expanded'] === 'true' ? '▾' : '▸'}</span>Edits · {edits.length}{more
					? ' and more'
					: ''}{edits[0]
					? `, the last ${formatMoment(edits[0].at, w.model.zone)}${edits[0].by ? ` by ${edits[0].by}` : ''}`
					: ''}</button
			>{/snippet}
	</Collapsible.Trigger>
	<Collapsible.Content>
		<div class="max-h-72 overflow-auto border border-hairline bg-sheet" data-testid="edits">
			<table class="grid-table w-full">
				<thead
					><tr
						><th class="num">Edit</th><th>When</th><th>By</th><th>Rows</th><th>Why</th><th
							>Records</th
						><th></th></tr
					></thead
				>
				<tbody>
					{#each edits as e (e.number)}
						<tr>
							<td class="mono num">{e.number}</td>
							<td>{formatMoment(e.at, w.model.zone)}</td>
							<td>{e.by ?? ''}{e.release ? `, with release ${e.release}` : ''}</td>
							<td>{did(e)}</td>
							<td
								>{#if e.undoes}takes back edit {e.undoes}{e.why
										? `: `
										: ''}{/if}{e.why}{#if e.undoneBy}<span class="block text-quiet"
										>taken back by edit {e.undoneBy}</span
									>{/if}</td
							>
							<td>
								{#if e.looked && !['done', 'failed', 'cancelled'].includes(e.looked)}<span
										class="text-quiet">looking…</span
									>
								{:else if e.looked === 'failed' || e.looked === 'cancelled'}<a
										class="textlink"
										href="/jobs">the look was broken off</a
									>
								{:else if !e.look}<span class="text-quiet">–</span>
								{:else}
									{#each e.bulks as b (b.id)}<a class="textlink block" href="/bulk/{b.id}"
											>{label(b.type, b.field)}
											{b.state !== 'done'
												? 'follow…'
												: b.n
													? `followed in ${formatCount(b.n)}`
													: 'had followed'}</a
										>{/each}
									{#if e.open}<a class="textlink text-ochre" href="/line"
											>≠ {formatCount(e.open)} out of line</a
										>{:else if !e.bulks.length}<span class="text-quiet">none to follow</span>{/if}
								{/if}
							</td>
							<td class="whitespace-nowrap">
								<button
									class="textlink"
									aria-expanded={!!open[e.number]}
									onclick={() => void see(e.number)}>What it did</button
								>
								{#if mayEdit && !e.undoneBy && !e.release}<button
										class="textlink ml-2"
										disabled={busy}
										onclick={() => void back(e.number)}>Take it back</button
									>{/if}
							</td>
						</tr>
						{#if trouble?.number === e.number}<tr
								><td colspan="7"><p class="text-brick" role="alert">● {trouble.message}</p></td></tr
							>{/if}
						{#if open[e.number]}
							<tr>
								<td></td>
								<td colspan="6">
									<ul>
										{#each open[e.number].slice(0, MOST) as x (x.id)}
											<li class="mono">
												{#each table.columns as c, i (c.id)}
													{@const [was, now] = [say(c, x.before), say(c, x.after)]}
													{i
														? ' · '
														: ''}{#if x.before && x.after && !sameCells({ v: x.before[c.id] ?? null }, { v: x.after[c.id] ?? null })}<s
															class="text-quiet">{was || 'blank'}</s
														>
														→
														<span class="text-brass-ink">{now || 'blank'}</span
														>{:else if !x.after}<s>{was || '–'}</s>{:else}{now || '–'}{/if}
												{/each}
												<span class="font-sans text-quiet"
													>{!x.before ? 'new' : !x.after ? 'taken away' : ''}</span
												>
											</li>
										{/each}
									</ul>
									{#if open[e.number].length > MOST}<p class="text-quiet">
											The first {MOST} of {formatCount(open[e.number].length)}.
										</p>{/if}
								</td>
							</tr>
						{/if}
					{:else}<tr><td colspan="7" class="text-quiet">No edit yet.</td></tr>{/each}
				</tbody>
			</table>
		</div>
		{#if more}<button class="textlink" onclick={onmore}>Older ones</button>{/if}
	</Collapsible.Content>
</Collapsible.Root>

<style>
	.num {
		text-align: right;
	}
</style>
