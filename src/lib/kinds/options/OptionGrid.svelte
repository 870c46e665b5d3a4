<script lang="ts">
	import type { Body, Field, JsonValue, Schema } from '$core';
	import { own } from '$core';
	/**
	 * Choice to choice as one grid: every option on both sides at once. Arrow keys move, space sets;
	 * each cell tells how many existing records hold that pair.
	 */
	import type { Snippet } from 'svelte';
	import { formatCount } from '../../words/format';
	import { cells } from '../../grid/cells';
	import { Pairs } from '../pairs.svelte';
	import ValueInput from '../../inputs/ValueInput.svelte';

	type Options = Body & { kind: 'options' };

	let {
		body,
		schema,
		type,
		target,
		sample,
		none,
		disabled = false,
		mark,
		onchange
	}: {
		body: Options;
		schema: Schema;
		type: string;
		target: Field;
		sample: JsonValue;
		none: string;
		disabled?: boolean;
		/** Marks an option, and blank. */
		mark?: Snippet<[string]>;
		onchange: (label: string, body: Options) => void;
	} = $props();

	const uid = $props.id();
	const source = $derived(schema.field(type, body.input) ?? null);
	const keysOf = (f: Field | null) =>
		!f
			? []
			: f.type === 'yesno'
				? [
						{ id: 'true', label: 'yes', retired: false },
						{ id: 'false', label: 'no', retired: false }
					]
				: (schema.lists.get(f.list ?? '')?.options ?? []).map((o) => ({
						...o,
						retired: !!o.retired
					}));
	const rows = $derived(keysOf(source).filter((o) => !o.retired || o.id in body.rows));
	const columns = $derived(
		target.type === 'choice' || target.type === 'yesno'
			? keysOf(target).filter((o) => !o.retired)
			: null
	);

	const pairs = new Pairs(() => source && { type, a: source.id, b: target.id });
	const held = (a: string) => own(body.rows, a)?.[0] ?? null;

	const cellValue = (id: string): JsonValue => (target.type === 'yesno' ? id === 'true' : id);
	function set(row: string, v: JsonValue | undefined) {
		const next = { ...body.rows };
		if (v === undefined || v === null) delete next[row];
		else next[row] = [v];
		onchange('row', { ...body, rows: next, nothing: gives(row, false) });
	}
	/** The options that give nothing, with one more or less. */
	function gives(row: string, nothing: boolean): string[] {
		const rest = (body.nothing ?? []).filter((x) => x !== row);
		return nothing ? [...rest, row] : rest;
	}
	const isNothing = (row: string) => !!body.nothing?.includes(row);
	/** Whether a row, blank among them, is said to give nothing. */
	const nothingOn = (row: string) =>
		row === '' ? !!body.blank && 'none' in body.blank : isNothing(row);
	function setNothing(row: string) {
		const rows = { ...body.rows };
		delete rows[row];
		onchange('row', { ...body, rows, nothing: gives(row, !isNothing(row)) });
	}
	function setBlank(v: JsonValue | 'none' | 'unsaid') {
		onchange('blank', {
			...body,
			blank: v === 'unsaid' ? null : v === 'none' ? { none: true } : { give: [v] }
		});
	}
	const blankGives = $derived(body.blank && 'give' in body.blank ? body.blank.give[0] : undefined);

	/** What a drag gives a cell: its row that column's value, or none of it. */
	function paint(ri: number, ci: number, on: boolean) {
		const id = rows[ri]?.id ?? '';
		const column = columns?.[ci];
		if (column) {
			const v = cellValue(column.id);
			if (id === '') setBlank(on ? v : 'none');
			else if (on) set(id, v);
			else if (held(id) === v) set(id, undefined);
		} else if (on !== nothingOn(id)) {
			if (id === '') setBlank(on ? 'none' : 'unsaid');
			else setNothing(id);
		}
	}
</script>

{#if !source}
	<p class="mt-2 text-brick">● Choose the field to map from.</p>
{:else}
	<div
		class="mt-3 overflow-x-auto select-none"
		use:cells={paint}
		role="group"
		aria-label="{source.label} to {target.label}"
	>
		<table class="text-sm">
			<thead>
				<tr>
					<th class="border-b border-line py-1 pr-4 text-left align-bottom font-semibold text-teal"
						>{source.label}</th
					>
					{#if columns}
						{#each columns as c (c.id)}
							<th class="border-b border-line px-2 py-1 align-bottom font-semibold text-brass-ink"
								>{c.label}</th
							>
						{/each}
						<th class="border-b border-line px-2 py-1 align-bottom font-normal text-quiet">none</th>
					{:else}
						<th class="border-b border-line px-2 py-1 text-left font-semibold text-brass-ink"
							>{target.label}</th
						>
					{/if}
					<th
						class="border-b border-line px-2 py-1 text-right align-bottom text-xs font-normal text-quiet"
						>records</th
					>
				</tr>
			</thead>
			<tbody>
				{#each [...rows, { id: '', label: 'blank', retired: false }] as r, ri (r.id)}
					{@const isBlank = r.id === ''}
					{@const given = isBlank ? blankGives : own(body.rows, r.id)?.[0]}
					{@const decided = isBlank ? body.blank !== null : r.id in body.rows || isNothing(r.id)}
					<tr
						class="border-b border-hairline {sample !== undefined && String(sample ?? '') === r.id
							? 'now'
							: ''}"
					>
						<th
							class="py-0.5 pr-4 text-left font-normal whitespace-nowrap {isBlank
								? 'text-quiet'
								: ''}"
						>
							{@render mark?.(isBlank ? 'blank' : r.id)}{r.label}{r.retired ? ' (retired)' : ''}
							{#if !decided}<span class="text-xs font-semibold text-brick">● not decided</span>{/if}
						</th>
						{#if columns}
							{#each columns as c, ci (c.id)}
								{@const on = decided && given === cellValue(c.id)}
								{@const n = pairs.of(r.id, c.id)}
								<td class="p-0 text-center">
									<button
										class="cell"
										class:on
										data-r={ri}
										data-c={ci}
										{disabled}
										aria-pressed={on}
										aria-label="{r.label} gives {c.label}{n ? `, ${n} records` : ''}"
										onclick={() =>
											isBlank
												? setBlank(on ? 'none' : cellValue(c.id))
												: set(r.id, on ? undefined : cellValue(c.id))}
									>
										<span class="mark" aria-hidden="true">{on ? '■' : '·'}</span>
										<span class="mono n">{n ? formatCount(n) : ''}</span>
									</button>
								</td>
							{/each}
							<td class="p-0 text-center">
								<button
									class="cell"
									class:on={nothingOn(r.id)}
									data-r={ri}
									data-c={columns.length}
									{disabled}
									aria-pressed={nothingOn(r.id)}
									aria-label="{r.label} gives nothing"
									title="It {none}"
									onclick={() =>
										isBlank ? setBlank(nothingOn(r.id) ? 'unsaid' : 'none') : setNothing(r.id)}
								>
									<span class="mark" aria-hidden="true">{nothingOn(r.id) ? '■' : '·'}</span><span
										class="n"
									></span>
								</button>
							</td>
						{:else if isBlank}
							<td class="px-2 py-0.5">
								<button
									class="textlink"
									{disabled}
									onclick={() => setBlank(body.blank ? 'unsaid' : 'none')}
									>{body.blank ? none : 'not decided'}</button
								>
							</td>
						{:else}
							<td class="px-2 py-0.5">
								<ValueInput
									field={target}
									{schema}
									{disabled}
									label="{target.label} for {r.label}"
									id="{uid}-{ri}"
									value={given ?? null}
									onchange={(v) => set(r.id, v)}
								/>
								{#if given === undefined || given === null}<button
										class="textlink text-sm"
										{disabled}
										aria-pressed={isNothing(r.id)}
										onclick={() => setNothing(r.id)}
										>{isNothing(r.id) ? `nothing: it ${none}` : 'gives nothing'}</button
									>{/if}
							</td>
						{/if}
						<td class="mono px-2 py-0.5 text-right text-xs whitespace-nowrap text-quiet">
							{pairs.known ? formatCount(pairs.total(r.id)) : ''}
							{#if !isBlank && decided && pairs.others(r.id, held(r.id))}<span
									title="records that hold something else"
									>· {formatCount(pairs.others(r.id, held(r.id)))} differ</span
								>{/if}
						</td>
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
{/if}

<style>
	.cell {
		display: inline-flex;
		flex-direction: column;
		align-items: center;
		justify-content: center;
		min-width: 56px;
		width: 100%;
		height: 32px;
		line-height: 1;
	}
	.cell:hover:not(:disabled) {
		background: var(--color-band-1);
	}
	.cell:focus-visible {
		outline-offset: -2px;
	}
	.on {
		background: var(--color-band-2);
	}
	.mark {
		color: var(--color-field-line);
		font-size: 11px;
	}
	.on .mark {
		color: var(--color-brass-ink);
	}
	.n {
		font-size: 10px;
		color: var(--color-quiet);
		min-height: 11px;
	}
	.on .n {
		color: var(--color-ink);
	}
	.now th {
		box-shadow: inset 3px 0 0 var(--color-teal);
		padding-left: 8px;
	}
</style>
