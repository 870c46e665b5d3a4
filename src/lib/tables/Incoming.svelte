<script lang="ts">
	/** Rows of a file before they are taken in: each that does not fit, why, and what can be done with them. */
	import type { JsonValue, ReferenceTable } from '$core';
	import { doubledRows } from '$core';
	import { offerFile, writeCells } from '../work/csv';
	import { formatCount } from '../words/format';

	let {
		table,
		file,
		cells,
		rows,
		faults,
		ontake,
		onleave
	}: {
		table: ReferenceTable;
		/** Name of the file. */
		file: string;
		/** As they stand in the file, its head first. */
		cells: string[][];
		rows: JsonValue[][];
		/** Values that do not fit, by zero-based row. */
		faults: readonly { row: number; column: string; message: string }[];
		ontake: (rows: JsonValue[][]) => void;
		onleave: () => void;
	} = $props();

	/** Most that are shown; all of them are in the file that is saved. */
	const MOST = 200;
	const doubled = $derived(doubledRows({ ...table, rows }));
	/** Why each row is refused, by zero-based row. */
	const refused = $derived.by(() => {
		const out = new Map<number, string[]>();
		const say = (row: number, why: string) => out.set(row, [...(out.get(row) ?? []), why]);
		for (const f of faults) {
			const label = table.columns.find((c) => c.id === f.column)?.label ?? f.column;
			say(f.row, f.message.startsWith(label) ? f.message : `${label}: ${f.message}`);
		}
		for (const [row, first] of doubled) say(row, `It has the key of row ${first + 1}.`);
		return new Map([...out].sort((a, b) => a[0] - b[0]));
	});
	const fit = $derived(rows.filter((_, i) => !refused.has(i)));
	function save() {
		const [head, ...body] = cells;
		offerFile(
			`refused ${file}`,
			writeCells([
				[...head, 'Why'],
				...[...refused].map(([i, why]) => [...(body[i] ?? []), why.join(' ')])
			]),
			'text/csv'
		);
	}
	const focus = (node: HTMLElement) => node.focus();
</script>

<section
	class="mt-2 border border-ochre bg-ochre-wash p-3 text-sm"
	aria-label="Rows of {file}"
	tabindex="-1"
	use:focus
>
	<p>
		Of {formatCount(rows.length)} rows of {file}, {formatCount(fit.length)} fit and
		<strong>{formatCount(refused.size)} do not</strong>. Nothing is changed yet.
	</p>
	<div class="mt-2 max-h-52 overflow-auto border border-hairline">
		<table class="grid-table text-sm">
			<thead><tr><th class="text-right">Row</th><th>As it stands</th><th>Why</th></tr></thead>
			<tbody>
				{#each [...refused].slice(0, MOST) as [i, why] (i)}
					<tr>
						<td class="mono text-right">{i + 1}</td>
						<td class="mono break-words">{(cells[i + 1] ?? []).join(' · ')}</td>
						<td>{why.join(' ')}</td>
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
	{#if refused.size > MOST}<p class="text-quiet">
			The first {MOST} are shown; the file has all of them.
		</p>{/if}
	<div class="mt-2 flex flex-wrap items-center gap-3">
		<button class="button" disabled={!fit.length} onclick={() => ontake(fit)}
			>Take the {formatCount(fit.length)} that fit</button
		>
		<button class="button" onclick={() => ontake(rows)}>Take all, mend them here</button>
		<button class="textlink" onclick={save}>Save the refused rows</button>
		<button class="textlink" onclick={onleave}>Leave it</button>
	</div>
</section>
