<script lang="ts">
	/**
	 * The last change of a trial made once for each row: what is sent in the columns before the line, what
	 * must come of it behind. Written by keys, and pasted from a spreadsheet.
	 */
	import Without from '../inputs/Without.svelte';
	import type { Field, JsonValue, Schema, TrialLine, TrialRow } from '$core';
	import { fromText, isText, toJson } from '$core';
	import SearchPick from '../inputs/SearchPick.svelte';
	import { formatValue } from '../words/format';
	import { readCells } from '../work/csv';

	let {
		rows,
		type,
		schema,
		outcome,
		disabled = false,
		onchange
	}: {
		rows: readonly TrialRow[];
		type: string;
		schema: Schema;
		/** How each line turned out that is about a row. */
		outcome: readonly Omit<TrialLine, 'reports'>[];
		disabled?: boolean;
		onchange: (rows: TrialRow[]) => void;
	} = $props();

	/** Columns that were just asked for and hold nothing yet. */
	let asked = $state<{ sent: string[]; expect: string[] }>({ sent: [], expect: [] });
	const valueOf = (r: TrialRow) =>
		r.expect.flatMap((x) => ('value' in x && !x.at && !x.not ? [x] : []));
	const fields = (ids: string[]) => [...new Set(ids)].flatMap((id) => schema.field(type, id) ?? []);
	const sent = $derived(fields([...rows.flatMap((r) => r.sent.map(([f]) => f)), ...asked.sent]));
	const expected = $derived(
		fields([...rows.flatMap((r) => valueOf(r).map((x) => x.field)), ...asked.expect])
	);
	const columns = $derived([
		...sent.map((field) => ({ field, as: 'sent' as const })),
		...expected.map((field) => ({ field, as: 'expect' as const }))
	]);
	type Column = (typeof columns)[number];

	const cell = (r: TrialRow, c: Column): JsonValue | undefined =>
		c.as === 'sent'
			? r.sent.find(([f]) => f === c.field.id)?.[1]
			: valueOf(r).find((x) => x.field === c.field.id)?.value;
	const shown = (c: Column, v: JsonValue | undefined) =>
		v === undefined ? '' : v === null ? 'blank' : formatValue(c.field, v, schema);

	/** A row with another value in a column; one that is left open is not sent, and nothing is expected of it. */
	function put(r: TrialRow, c: Column, v: JsonValue | undefined): TrialRow {
		if (c.as === 'sent') {
			const others = r.sent.filter(([f]) => f !== c.field.id);
			return { ...r, sent: v === undefined ? others : [...others, [c.field.id, v]] };
		}
		const others = r.expect.filter((x) => !('value' in x && x.field === c.field.id && !x.at));
		return {
			...r,
			expect: v === undefined ? others : [...others, { field: c.field.id, value: v }]
		};
	}

	/** What was typed: nothing leaves the cell open, the word *blank* is a blank. */
	function read(
		field: Field,
		text: string
	): { ok: true; v: JsonValue | undefined } | { ok: false; message: string } {
		const typed = text.trim();
		if (!typed) return { ok: true, v: undefined };
		if (typed.toLowerCase() === 'blank') return { ok: true, v: null };
		if (!isText(typed)) return { ok: false, message: 'This cannot be read.' };
		const r = fromText(field, typed, schema);
		return r.ok ? { ok: true, v: toJson(r.value) } : r;
	}
	/** What could not be read, by cell, with what was typed. */
	let faults = $state<Record<string, { typed: string; message: string }>>({});
	const openRow: TrialRow = { sent: [], expect: [] };

	/** What was typed into a cell. */
	function typed(r: number, k: number, text: string) {
		if (text === shown(columns[k], r < rows.length ? cell(rows[r], columns[k]) : undefined)) return;
		paste(r, k, [[text]]);
	}

	/** Cells put in from a place on, to the right and below. */
	function paste(r: number, k: number, cells: readonly (readonly string[])[]) {
		const next = [...rows];
		const wrong = { ...faults };
		cells.forEach((line, i) => {
			if (!line.some((x) => x.trim()) && r + i >= next.length) return;
			line.forEach((text, j) => {
				const c = columns[k + j];
				if (!c) return;
				const at = `${r + i} ${c.as} ${c.field.id}`;
				const got = read(c.field, text);
				delete wrong[at];
				if (!got.ok) {
					wrong[at] = { typed: text, message: got.message };
					return;
				}
				while (next.length <= r + i) next.push(openRow);
				next[r + i] = put(next[r + i], c, got.v);
			});
		});
		faults = wrong;
		onchange(next);
	}

	function onpaste(e: ClipboardEvent, r: number, k: number) {
		const text = e.clipboardData?.getData('text/plain') ?? '';
		if (!/[\t\n]/.test(text.trim())) return;
		e.preventDefault();
		const got = readCells(text);
		if (got.ok) paste(r, k, got.cells);
	}

	function onkeydown(e: KeyboardEvent, r: number, k: number) {
		const to = { Enter: [1, 0], ArrowDown: [1, 0], ArrowUp: [-1, 0] }[e.key];
		if (!to) return;
		e.preventDefault();
		(e.currentTarget as HTMLInputElement).blur();
		const at = document.getElementById(`row-${r + to[0]}-${k}`);
		if (at instanceof HTMLInputElement) {
			at.focus();
			at.select();
		}
	}
	const pick = (as: 'sent' | 'expect') => () =>
		schema
			.type(type)
			.type.fields.filter(
				(f) => !f.retired && !columns.some((c) => c.as === as && c.field.id === f.id)
			)
			.map((f) => ({ id: f.id, label: f.label, group: f.group }));
	const lineOf = (r: number, c: Column) =>
		c.as === 'expect'
			? outcome.find((l) => l.row === r && 'value' in l.expected && l.expected.field === c.field.id)
			: undefined;
	const held = (r: number) => {
		const mine = outcome.filter((l) => l.row === r);
		return mine.length ? mine.every((l) => l.held) : null;
	};
</script>

<div class="overflow-x-auto">
	<table class="rows mt-1" aria-label="Rows of the trial">
		<thead>
			<tr>
				<th scope="col"><span class="sr-only">Result</span></th>
				{#each columns as c, k (c.as + c.field.id)}
					<th scope="col" class:line={c.as === 'expect' && columns[k - 1]?.as === 'sent'}
						><span class={c.as === 'sent' ? 'text-teal' : 'text-brass-ink'}>{c.field.label}</span>
						<span class="block text-xs font-normal text-quiet"
							>{c.as === 'sent' ? 'is sent' : 'is expected'}</span
						></th
					>
				{/each}
				<th></th>
			</tr>
		</thead>
		<tbody>
			{#each [...rows, ...(disabled || !columns.length ? [] : [openRow])] as r, i (i)}
				<tr>
					<td class="w-6 text-center"
						>{#if held(i) === true}<span class="text-teal" title="holds">✓</span
							>{:else if held(i) === false}<span class="text-brick" title="fails">✕</span>{/if}</td
					>
					{#each columns as c, k (c.as + c.field.id)}
						{@const wrong = faults[`${i} ${c.as} ${c.field.id}`]}
						{@const line = lineOf(i, c)}
						<td class:line={c.as === 'expect' && columns[k - 1]?.as === 'sent'}>
							<input
								id="row-{i}-{k}"
								class="mono w-full bg-transparent px-1.5"
								class:wrong={wrong || line?.held === false}
								{disabled}
								aria-label="{c.field.label} {c.as === 'sent' ? 'sent' : 'expected'}, row {i + 1}"
								aria-invalid={wrong ? true : undefined}
								value={wrong?.typed ?? shown(c, cell(r, c))}
								onfocus={(e) => e.currentTarget.select()}
								onchange={(e) => typed(i, k, e.currentTarget.value)}
								onpaste={(e) => onpaste(e, i, k)}
								onkeydown={(e) => onkeydown(e, i, k)}
							/>
							{#if wrong}<p class="px-1.5 text-xs text-brick">● {wrong.message}</p>{/if}
							{#if line && !line.held}<p class="px-1.5 text-xs text-brick">
									got {formatValue(c.field, line.got as JsonValue, schema) || 'blank'}
								</p>{/if}
						</td>
					{/each}
					<td>
						{#if !disabled && i < rows.length}<Without
								label="Leave out row {i + 1}"
								onclick={() => onchange(rows.filter((_, j) => j !== i))}
							/>{/if}
					</td>
				</tr>
			{/each}
		</tbody>
	</table>
</div>
{#if !disabled}
	<p class="mt-1">
		<SearchPick
			text="a column that is sent"
			label="Column that is sent"
			choices={pick('sent')}
			look="word"
			tone="reads"
			unsaid
			onpick={(id) => (asked = { ...asked, sent: [...asked.sent, id] })}
		/>
		<span class="px-2"></span>
		<SearchPick
			text="a column that is expected"
			label="Column that is expected"
			choices={pick('expect')}
			look="word"
			tone="writes"
			unsaid
			onpick={(id) => (asked = { ...asked, expect: [...asked.expect, id] })}
		/>
		{#if columns.length}<span class="pl-3 text-xs text-quiet"
				>Paste from a spreadsheet into any cell; the word <span class="mono">blank</span> is a blank,
				an empty cell says nothing.</span
			>{/if}
	</p>
{/if}

<style>
	.rows th,
	.rows td {
		border: 1px solid var(--color-hairline);
		text-align: left;
		vertical-align: top;
		min-width: 6rem;
	}
	.rows th {
		padding: 2px 6px;
		font-weight: 600;
	}
	.rows th:first-child,
	.rows td:first-child,
	.rows th:last-child,
	.rows td:last-child {
		min-width: 2rem;
		border-color: transparent;
	}
	.rows .line {
		border-left: 3px double var(--color-line);
	}
	.rows input {
		min-height: 28px;
	}
	.rows .wrong {
		box-shadow: inset 0 -2px 0 var(--color-brick);
	}
</style>
