<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, i, disabled }: WordsProps<BodyOf<'lookup'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'lookup');
	const begins = w.begun?.rule === (() => rule.id)();
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
	onpick={(v) => set('table', (b) => ({ ...b, table: v, keys: [], columns: [] }))}
/>
