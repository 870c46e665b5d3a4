<script lang="ts">
	/** Rules by fields: which field each rule reads, and which it writes or checks. */
	import { goto } from '$app/navigation';
	import type { FieldRef, FlowRule } from '$core';
	import { MESSAGES, refKey, sheetOf } from '$core';
	import { useWorkbench } from '../work/workbench.svelte';

	let { rules, home }: { rules: readonly FlowRule[]; home: string } = $props();

	const w = useWorkbench();
	const touched = $derived(
		new Set(rules.flatMap((f) => [...f.reads, ...f.writes]).map((r) => refKey(r.type, r.field)))
	);
	/** The fields of the record type first, then those of others, in the order of the model. */
	const columns = $derived(
		[...w.model.types]
			.sort((a, b) => Number(b.id === home) - Number(a.id === home))
			.flatMap((t) =>
				t.fields
					.filter((f) => touched.has(refKey(t.id, f.id)))
					.map((f) => ({ type: t.id, field: f.id, label: f.label, of: t.label }))
			)
	);
	const groups = $derived(
		[...new Set(columns.map((c) => c.type))].map((type) => ({
			type,
			label: w.schema.type(type).type.label,
			span: columns.filter((c) => c.type === type).length
		}))
	);

	type Mark = { sign: string; says: string; tone: string };
	const MARKS = {
		both: { sign: '◐', says: 'reads and writes', tone: 'text-brass-ink' },
		writes: { sign: '■', says: 'writes', tone: 'text-brass-ink' },
		judges: { sign: '▲', says: 'checks or limits', tone: 'text-ochre' },
		reads: { sign: '○', says: 'reads', tone: 'text-teal' },
		early: { sign: '◌', says: 'reads before the change or as entered', tone: 'text-teal' }
	} satisfies Record<string, Mark>;
	const same = (a: FieldRef, b: FieldRef) => a.type === b.type && a.field === b.field;
	function mark(f: FlowRule, c: FieldRef): Mark | null {
		const read = f.reads.find((r) => same(r, c));
		if (f.writes.some((r) => same(r, c)))
			return f.does === 'judges' ? MARKS.judges : read ? MARKS.both : MARKS.writes;
		return read ? (read.early ? MARKS.early : MARKS.reads) : null;
	}
	const href = (f: FlowRule) =>
		`/write/${f.rule.type}/${f.does === 'sends' ? MESSAGES : sheetOf(f.rule)}#rule-${f.rule.id}`;

	// ---- keyboard: one stop, arrows between cells -----------------------------------------------

	let stop = $state({ row: 0, column: 0 });
	const row = $derived(Math.min(stop.row, rules.length - 1));
	const column = $derived(Math.min(stop.column, columns.length));
	function keys(e: KeyboardEvent) {
		const by: Record<string, [number, number]> = {
			ArrowUp: [-1, 0],
			ArrowDown: [1, 0],
			ArrowLeft: [0, -1],
			ArrowRight: [0, 1],
			Home: [0, -column],
			End: [0, columns.length - column]
		};
		if (e.key === 'Enter') {
			e.preventDefault();
			const c = columns[column - 1];
			void goto(c ? `/write/${c.type}/${c.field}` : href(rules[row]));
			return;
		}
		const d = by[e.key];
		if (!d) return;
		e.preventDefault();
		stop = {
			row: Math.min(Math.max(0, row + d[0]), rules.length - 1),
			column: Math.min(Math.max(0, column + d[1]), columns.length)
		};
		document.getElementById(`matrix-${stop.row}-${stop.column}`)?.focus();
	}
	let over = $state<{ row: number; column: number } | null>(null);
	const cross = $derived(over ?? { row: -1, column: -1 });
</script>

<ul class="flex flex-wrap gap-x-4 text-xs text-quiet" aria-label="What the signs mean">
	{#each Object.values(MARKS) as m (m.says)}<li>
			<span class={m.tone}>{m.sign}</span>
			{m.says}
		</li>{/each}
</ul>
<div class="pane mt-2">
	<table
		role="grid"
		aria-label="Rules by fields"
		aria-rowcount={rules.length + 2}
		aria-colcount={columns.length + 1}
		onkeydown={keys}
		onmouseleave={() => (over = null)}
	>
		<thead>
			<tr>
				<th class="corner" rowspan="2" scope="col">Rule</th>
				{#each groups as g (g.type)}<th class="group" colspan={g.span} scope="colgroup"
						>{g.label}</th
					>{/each}
			</tr>
			<tr>
				{#each columns as c, i (refKey(c.type, c.field))}
					<th class="field" class:lit={cross.column === i + 1} scope="col"
						><a href="/write/{c.type}/{c.field}" tabindex="-1" title="{c.of} › {c.label}"
							>{c.label}</a
						></th
					>
				{/each}
			</tr>
		</thead>
		<tbody>
			{#each rules as f, r (f.rule.id)}
				<tr class:lit={cross.row === r}>
					<th scope="row" onmouseenter={() => (over = { row: r, column: 0 })}
						><a
							id="matrix-{r}-0"
							href={href(f)}
							class:text-quiet={f.idle}
							title={f.rule.name}
							tabindex={row === r && column === 0 ? 0 : -1}
							onfocus={() => (stop = { row: r, column: 0 })}>{f.rule.name}</a
						></th
					>
					{#each columns as c, i (refKey(c.type, c.field))}
						{@const m = mark(f, c)}
						<td
							id="matrix-{r}-{i + 1}"
							class={m?.tone}
							class:lit={cross.column === i + 1}
							tabindex={row === r && column === i + 1 ? 0 : -1}
							aria-label={m ? `${f.rule.name} ${m.says} ${c.label}` : `nothing with ${c.label}`}
							onfocus={() => (stop = { row: r, column: i + 1 })}
							onmouseenter={() => (over = { row: r, column: i + 1 })}>{m?.sign ?? ''}</td
						>
					{/each}
				</tr>
			{/each}
		</tbody>
	</table>
</div>

<style>
	.pane {
		overflow: auto;
		max-height: calc(100dvh - 210px);
		border: 1px solid var(--color-line);
		background: var(--color-sheet);
	}
	table {
		border-collapse: separate;
		border-spacing: 0;
		font-size: 12.5px;
	}
	thead {
		position: sticky;
		top: 0;
		z-index: 2;
	}
	thead th {
		background: var(--color-panel);
		font-weight: 400;
	}
	.corner,
	tbody th {
		position: sticky;
		left: 0;
		z-index: 1;
		width: 250px;
		min-width: 250px;
		max-width: 250px;
		padding: 0 10px;
		text-align: left;
		background: var(--color-panel);
		border-right: 1px solid var(--color-line);
	}
	.corner {
		vertical-align: bottom;
		padding-bottom: 6px;
		color: var(--color-quiet);
		border-bottom: 1px solid var(--color-line);
	}
	tbody th a {
		display: block;
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
		font-weight: 400;
		text-decoration: none;
		line-height: 24px;
	}
	.group {
		padding: 4px 6px 0;
		text-align: left;
		font-weight: 600;
		border-left: 1px solid var(--color-line);
	}
	.field {
		height: 118px;
		width: 26px;
		min-width: 26px;
		padding: 6px 0;
		vertical-align: bottom;
		border-bottom: 1px solid var(--color-line);
	}
	.field a {
		display: inline-block;
		max-height: 108px;
		writing-mode: vertical-rl;
		transform: rotate(180deg);
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
		line-height: 24px;
		text-decoration: none;
	}
	td {
		height: 24px;
		width: 26px;
		text-align: center;
		border-left: 1px solid var(--color-hairline);
	}
	tbody tr > * {
		border-bottom: 1px solid var(--color-hairline);
	}
	tr.lit > *,
	td.lit,
	th.lit {
		background: var(--color-band-1);
	}
	td:focus,
	tbody th a:focus {
		outline: 2px solid var(--color-teal);
		outline-offset: -2px;
	}
</style>
