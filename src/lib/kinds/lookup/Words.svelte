<script lang="ts">
	import type { BodyOf, Field, Formula, TableColumn } from '$core';
	import { HOLE } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, i, disabled }: WordsProps<BodyOf<'lookup'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'lookup');
	const begins = w.begun?.rule === (() => rule.id)();
	/** A new table: what fits by itself is taken, the one column that can stand in a field and keys named like one. */
	function pickTable(id: string) {
		const table = w.schema.tables.get(id);
		if (!table) return;
		const own = w.schema.type(rule.type).type.fields.filter((f) => !f.retired);
		const alike = (c: TableColumn, f: Field) =>
			c.type === f.type && c.list === f.list && c.target === f.target;
		const columns = rule.outputs.map((o) => {
			const f = w.schema.field(rule.type, o.field);
			const fitting = f ? table.columns.filter((c) => alike(c, f)) : [];
			return fitting.length === 1 ? fitting[0].id : '';
		});
		const keys = table.keys.map((k): Formula => {
			const c = table.columns.find((x) => x.id === ('column' in k ? k.column : k.from));
			// *Postal code begins* is met by Postal code
			const named =
				c &&
				own
					.filter((f) => `${c.label} `.toLowerCase().startsWith(`${f.label} `.toLowerCase()))
					.sort((a, b) => b.label.length - a.label.length)[0];
			const listed = c?.list ? own.filter((f) => f.type === 'choice' && f.list === c.list) : [];
			const f = named ?? (listed.length === 1 ? listed[0] : undefined);
			return {
				expr: f ? { k: 'field', image: 'settled', type: rule.type, field: f.id } : HOLE
			};
		});
		set('table', (b) => ({ ...b, table: id, keys, columns }));
		w.nameAfter(rule.id, table.label);
	}
	const label = $derived(w.schema.field(rule.type, output.field)?.label ?? output.field);
</script>

<Word
	label="Column for {label}"
	tone="reads"
	value={body.columns[i] ?? ''}
	text={body.columns[i] ? undefined : 'which column?'}
	{disabled}
	choices={(w.schema.tables.get(body.table)?.columns ?? []).map((c) => ({
		value: c.id,
		label: c.label
	}))}
	onpick={(v) =>
		set('column', (b, r) => ({
			...b,
			columns: r.outputs.map((_, k) => (k === i ? v : (b.columns[k] ?? '')))
		}))}
/>
in
<Word
	label="Table to look up in"
	tone="reads"
	value={body.table}
	text={w.schema.tables.has(body.table) ? undefined : 'which table?'}
	open={begins && i === 0 && !body.table}
	{disabled}
	choices={[...w.schema.tables.values()].map((t) => ({ value: t.id, label: t.label }))}
	onpick={pickTable}
/>
