<script lang="ts">
	/** One output of a rule in its sentence: the field it writes, from what, how firmly, and what happens without a result. */
	import type { Hold, NoResult, Output, Rule } from '$core/model/rules';
	import Word from './Word.svelte';
	import { HOLD_HELP, NONE_LABEL } from './format';
	import { useWorkbench } from './workbench.svelte';

	let {
		rule,
		output: o,
		i,
		disabled,
		bandInput,
		byFormula = $bindable(),
		onremove
	}: {
		rule: Rule;
		output: Output;
		/** Zero-based place among the outputs. */
		i: number;
		disabled: boolean;
		/** The field that the bands part, where it is one. */
		bandInput: string | null;
		/** The bands part the value of a formula. */
		byFormula: boolean;
		onremove: () => void;
	} = $props();

	const w = useWorkbench();
	const type = $derived(w.schema.type(rule.type).type);
	const label = (id: string) => w.schema.field(rule.type, id)?.label ?? id;
	const edit = (what: string, change: (r: Rule) => Rule) => w.editRule(what, rule.id, change);
	const setBody = (what: string, change: (b: Rule['body']) => Rule['body']) =>
		edit(what, (r) => ({ ...r, body: change(r.body) }));
	const setOutput = (id: string, patch: Partial<Output>) =>
		edit('output', (r) => ({
			...r,
			outputs: r.outputs.map((x) => (x.id === id ? { ...x, ...patch } : x))
		}));
	const fieldChoices = $derived(
		type.fields.filter((f) => !f.retired).map((f) => ({ value: f.id, label: f.label }))
	);
	const holds = (Object.keys(HOLD_HELP) as Hold[]).map((h) => ({
		value: h,
		label: h,
		help: HOLD_HELP[h]
	}));
	const nones = Object.entries(NONE_LABEL).map(([value, l]) => ({ value, label: l }));

	const numberFields = $derived(
		type.fields.filter(
			(f) => ['number', 'money', 'percent', 'date'].includes(f.type) && f.id !== o.field
		)
	);
	const mapFields = $derived(
		type.fields.filter((f) => (f.type === 'choice' || f.type === 'yesno') && f.id !== o.field)
	);
	function pickBandInput(id: string) {
		byFormula = id === '';
		if (id)
			edit('input', (r) =>
				r.body.kind === 'bands'
					? {
							...r,
							body: {
								...r.body,
								input: { expr: { k: 'field', image: 'settled', type: r.type, field: id } }
							}
						}
					: r
			);
	}
</script>

<Word
	label="Field it writes"
	tone="writes"
	value={o.field}
	choices={fieldChoices}
	{disabled}
	onpick={(v) => setOutput(o.id, { field: v })}
/>
{#if w.schema.field(rule.type, o.field)?.type === 'choices'}
	<Word
		label="How {label(o.field)} is written"
		value={o.adds ? 'adds' : 'replaces'}
		text={o.adds ? 'gains' : 'becomes'}
		{disabled}
		choices={[
			{ value: 'replaces', label: 'becomes', help: 'the set is replaced' },
			{
				value: 'adds',
				label: 'gains',
				help: 'added to the set; withdrawn when the reason goes; what people added stays'
			}
		]}
		onpick={(v) =>
			setOutput(
				o.id,
				v === 'adds' ? { adds: true, hold: 'follow', closed: undefined } : { adds: undefined }
			)}
	/>
{:else}becomes{/if}
{#if rule.body.kind === 'bands'}
	the band that
	<Word
		label="What the bands part"
		tone="reads"
		value={byFormula ? '' : (bandInput ?? '')}
		text={bandInput && !byFormula ? undefined : 'the formula below'}
		{disabled}
		choices={[
			...numberFields.map((f) => ({ value: f.id, label: f.label })),
			{ value: '', label: 'a formula' }
		]}
		onpick={pickBandInput}
	/>
	falls in,
{:else if rule.body.kind === 'options'}
	{@const input = rule.body.input}
	what the grid gives for
	<Word
		label="Field to map from"
		tone="reads"
		value={input}
		text={input ? undefined : 'which field?'}
		choices={mapFields.map((f) => ({ value: f.id, label: f.label }))}
		{disabled}
		onpick={(v) =>
			edit('input', (r) =>
				r.body.kind === 'options' ? { ...r, body: { ...r.body, input: v, rows: {} } } : r
			)}
	/>,
{:else if rule.body.kind === 'table'}
	what the table below gives,
{:else if rule.body.kind === 'compose'}
	the text{rule.outputs.length > 1 ? ` ${i + 1}` : ''} below,
{:else if rule.body.kind === 'split'}
	{#if rule.body.at === 'each'}part {i + 1}{:else}{i === 0
			? 'what stands before'
			: 'what stands behind'}
		the {rule.body.at}
		{rule.body.separator.trim() ? `“${rule.body.separator.trim()}”` : 'space'}{/if}
	of the text below,
{:else if rule.body.kind === 'lookup'}
	{@const body = rule.body}
	<Word
		label="Column for {label(o.field)}"
		tone="reads"
		value={body.columns[i] ?? ''}
		text={body.columns[i] ? undefined : 'which column?'}
		{disabled}
		choices={(w.schema.tables.get(body.table)?.columns ?? []).map((c) => ({
			value: c.id,
			label: c.label
		}))}
		onpick={(v) =>
			setBody('column', (b) =>
				b.kind === 'lookup'
					? {
							...b,
							columns: rule.outputs.map((_, k) => (k === i ? v : (b.columns[k] ?? '')))
						}
					: b
			)}
	/>
	in
	<Word
		label="Table to look up in"
		tone="reads"
		value={body.table}
		text={w.schema.tables.has(body.table) ? undefined : 'which table?'}
		{disabled}
		choices={[...w.schema.tables.values()].map((t) => ({
			value: t.id,
			label: t.label
		}))}
		onpick={(v) =>
			setBody('table', (b) =>
				b.kind === 'lookup' && b.table !== v ? { ...b, table: v, keys: [], columns: [] } : b
			)}
	/>,
{:else if rule.body.kind === 'match'}
	{@const body = rule.body}
	the
	<Word
		label="Record type to search"
		tone="reads"
		value={body.type}
		text={w.schema.types.has(body.type) ? undefined : 'which records?'}
		{disabled}
		choices={w.model.types.map((t) => ({ value: t.id, label: t.label }))}
		onpick={(v) =>
			setBody('searched type', (b) =>
				b.kind === 'match' && b.type !== v ? { ...b, type: v, on: [] } : b
			)}
	/> that matches,
{:else}
	the formula{rule.outputs.length > 1 ? ` ${i + 1}` : ''} below,
{/if}
<Word
	label="Hold on {label(o.field)}"
	value={o.hold}
	choices={holds}
	{disabled}
	onpick={(v) =>
		setOutput(o.id, {
			hold: v as Hold,
			...(v === 'locked' && o.none === 'leave' ? { none: 'clear' } : {})
		})}
/>{#if o.hold === 'follow' || o.hold === 'fill'},
	<Word
		label="Who may set {label(o.field)}"
		value={o.closed ? 'closed' : 'open'}
		text={o.closed ? 'closed to people' : 'open to people'}
		{disabled}
		choices={[
			{ value: 'open', label: 'open to people', help: 'people may overrule it' },
			{
				value: 'closed',
				label: 'closed to people',
				help: 'while it applies, only rules set the field'
			}
		]}
		onpick={(v) => setOutput(o.id, { closed: v === 'closed' ? true : undefined })}
	/>{/if}; without a result it
<Word
	label="Without a result"
	value={o.none}
	choices={nones}
	{disabled}
	onpick={(v) => setOutput(o.id, { none: v as NoResult })}
/>{#if !disabled && rule.outputs.length > 1}<button
		class="textlink pl-1 text-sm text-quiet"
		aria-label="No longer write {label(o.field)}"
		onclick={onremove}>(not this field)</button
	>{/if}{#if i === rule.outputs.length - 1}.{/if}
