<script lang="ts">
	/** One output of a rule in its sentence: the field it writes, from what, how firmly, and what happens without a result. */
	import type { Hold, NoResult, Output, Rule } from '$core';
	import { withoutResult, writerOf } from '$core';
	import { viewOf } from '../kinds';
	import Target from '../kinds/Target.svelte';
	import Word from '../words/Word.svelte';
	import { HOLD_HELP, NONE_LABEL } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		rule,
		output: o,
		i,
		disabled,
		onremove
	}: {
		rule: Rule;
		output: Output;
		/** Zero-based place among the outputs. */
		i: number;
		disabled: boolean;
		onremove: () => void;
	} = $props();

	const w = useWorkbench();
	const writer = $derived(writerOf(rule.body));
	const view = $derived(viewOf(rule.body));
	const label = (id: string) => w.schema.field(rule.type, id)?.label ?? id;
	const edit = (what: string, change: (r: Rule) => Rule) => w.editRule(what, rule.id, change);
	const setOutput = (id: string, patch: Partial<Output>) =>
		edit('output', (r) => ({
			...r,
			outputs: r.outputs.map((x) => (x.id === id ? { ...x, ...patch } : x))
		}));
	const holds = (Object.keys(HOLD_HELP) as Hold[]).map((h) => ({
		value: h,
		label: h,
		help: HOLD_HELP[h]
	}));
	/** What comes of no result in the end: where no rule follows, passing on leaves or clears. */
	const then = $derived(withoutResult(w.plan, rule, o));
	const nones = $derived(
		(Object.keys(NONE_LABEL) as NoResult[])
			.filter((v) => v !== 'leave' || o.hold !== 'locked')
			.map((value) => ({
				value,
				label:
					value === 'next' && o.none === 'next' && then !== 'next'
						? `${NONE_LABEL.next}; there is none, so it ${NONE_LABEL[then]}`
						: NONE_LABEL[value]
			}))
	);
</script>

{#if !writer}{#if view.words}<view.words {rule} body={rule.body} output={o} {i} {disabled} />{/if}
{:else}
	<Target {rule} output={o} label="Field it writes" {disabled} />
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
	{#if view.words}<view.words {rule} body={rule.body} output={o} {i} {disabled} />{/if}
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
	/>{#if o.hold === 'locked' && rule.guard}
		while its condition holds (after that the last value stays){/if}{#if o.hold === 'follow' || o.hold === 'fill'},
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
		text={NONE_LABEL[then]}
		choices={nones}
		{disabled}
		onpick={(v) => setOutput(o.id, { none: v as NoResult })}
	/>{#if !disabled && rule.outputs.length > 1}<button
			class="textlink pl-1 text-sm text-quiet"
			aria-label="No longer write {label(o.field)}"
			onclick={onremove}>(not this field)</button
		>{/if}{#if i === rule.outputs.length - 1}.{/if}
{/if}
