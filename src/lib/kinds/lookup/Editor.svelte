<script lang="ts">
	/** A look-up in a reference table: what meets each key, and the row that the sample finds. */
	import type { Field, JsonValue, LookupBody, Output, TableColumn } from '$core';
	import { cellText, indexTable, withoutOutput } from '$core';
	import { ANY } from '$core/feel/language';
	import FindsLook from '../FindsLook.svelte';
	import FieldOrFormula from '../../inputs/FieldOrFormula.svelte';
	import MultiChoose from '../../inputs/MultiChoose.svelte';
	import { formatCount, keyText } from '../../words/format';
	import { bodyEdit, type EditorProps } from '../view';
	import { useWorkbench } from '../../work/workbench.svelte';

	let { rule, body, report, disabled }: EditorProps<LookupBody> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'lookup');
	const table = $derived(w.schema.tables.get(body.table));
	const index = $derived(table && indexTable(table, w.schema));
	/** A cell as people read it: links by the title of their record. */
	const shown = (c: TableColumn, v: JsonValue) =>
		c.type === 'link' && typeof v === 'string'
			? (w.titles.all[`${c.target}.${v}`] ?? `No. ${v}`)
			: cellText(c, v, w.schema);
	/** The field into which a column goes that nobody took yet: of its kind, and called like it if one is. */
	function fieldFor(c: TableColumn, taken: ReadonlySet<string>): Field | undefined {
		const fits = w.schema
			.type(rule.type)
			.type.fields.filter(
				(f) =>
					!f.retired &&
					!taken.has(f.id) &&
					f.type === c.type &&
					f.list === c.list &&
					f.target === c.target
			);
		const like = fits.find((f) => f.label.toLowerCase() === c.label.toLowerCase());
		return like ?? (fits.length === 1 ? fits[0] : undefined);
	}
	/** Columns that can be taken: those that are, and those for which there is a field. */
	const takeable = $derived.by(() => {
		const taken = new Set(rule.outputs.map((o) => o.field));
		return (table?.columns ?? []).filter((c) => body.columns.includes(c.id) || fieldFor(c, taken));
	});
	/** Takes these columns, each into a field of its own; the rule writes those fields and no others. */
	function take(ids: string[]) {
		if (!ids.length) return;
		w.editRule('columns', rule.id, (r) => {
			let next = r;
			for (let i = r.outputs.length - 1; i >= 0; i--) {
				const column = (r.body as LookupBody).columns[i];
				if (column && !ids.includes(column)) next = withoutOutput(next, i);
			}
			const columns = [...(next.body as LookupBody).columns];
			const outputs: Output[] = [...next.outputs];
			const [like] = r.outputs;
			for (const id of ids) {
				if (columns.includes(id)) continue;
				const column = table!.columns.find((c) => c.id === id)!;
				const field = fieldFor(column, new Set(outputs.map((o) => o.field)));
				if (!field) continue;
				let n = outputs.length + 1;
				while (outputs.some((o) => o.id === `o${n}`)) n++;
				outputs.push({ id: `o${n}`, field: field.id, hold: like.hold, none: like.none });
				columns.push(id);
			}
			return { ...next, outputs, body: { ...(next.body as LookupBody), columns } };
		});
	}
	const row = $derived(typeof report?.row === 'number' ? report.row : null);
</script>

{#if table && index}
	<table class="mt-2 w-full text-sm">
		<tbody>
			{#each table.keys as key, k (k)}
				<tr>
					<th class="w-56 py-1 pr-3 text-left align-top font-normal text-quiet"
						>{keyText(table, key)}</th
					>
					<td>
						<FieldOrFormula
							label="What meets the key {keyText(table, key)}"
							formula={body.keys[k] ?? { text: '' }}
							schema={w.schema}
							type={rule.type}
							expected={index.inputs[k] ?? ANY}
							{disabled}
							onchange={(f) =>
								set(`key ${k}`, (b) => ({
									...b,
									keys: table.keys.map((_, i) => (i === k ? f : (b.keys[i] ?? { text: '' })))
								}))}
						/>
					</td>
				</tr>
			{/each}
			{#if takeable.length > 1}
				<tr>
					<th class="w-56 py-1 pr-3 text-left align-top font-normal text-quiet">Columns taken</th>
					<td>
						<MultiChoose
							label="Columns taken from {table.label}"
							class="w-full max-w-96"
							values={body.columns.filter(Boolean)}
							choices={takeable.map((c) => ({ value: c.id, label: c.label }))}
							{disabled}
							onpick={take}
						/>
					</td>
				</tr>
			{/if}
		</tbody>
	</table>
	{#if row !== null && table.rows[row]}
		<div class="mt-2 overflow-x-auto">
			<table class="grid-table text-sm" aria-label="The row that the sample finds">
				<thead
					><tr
						><th class="w-12"><span class="sr-only">Row</span></th
						>{#each table.columns as c (c.id)}<th>{c.label}</th>{/each}</tr
					></thead
				>
				<tbody
					><tr class="bg-band-1"
						><td class="mono">▸{row + 1}</td>{#each table.columns as c, i (c.id)}<td class="mono"
								>{shown(c, table.rows[row][i])}</td
							>{/each}</tr
					></tbody
				>
			</table>
		</div>
	{/if}
	<div class="mt-1 text-sm">
		<FindsLook {rule} what="row" href={(row) => `/tables/${table.id}?row=${row}`} />
	</div>
	<p class="mt-1 text-sm">
		<a class="textlink" href="/tables/{table.id}"
			>Open {table.label}{#if !w.living.away.includes(table.id)}, {formatCount(table.rows.length)}
				{table.rows.length === 1 ? 'row' : 'rows'}{/if}</a
		>
	</p>
{:else}
	<p class="mt-2 text-brick">
		● Choose the table in the sentence above{w.schema.tables.size ? '' : '; there is none yet'}.
		<a class="textlink text-ink" href="/tables">Reference tables</a>
	</p>
{/if}
