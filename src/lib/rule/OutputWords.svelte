<script lang="ts">
	/** One output of a rule in its sentence: the field it writes, how firmly, from what, and what is unusual about it. */
	import type { Hold, NoResult, Output, Rule } from '$core';
	import { withoutResult, writerOf } from '$core';
	import { viewOf } from '../kinds';
	import Target from '../kinds/Target.svelte';
	import Word from '../words/Word.svelte';
	import { HOLD_HELP, HOLD_VERB, NONE_LABEL } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';
	import { reachOf } from './reach';

	let {
		rule,
		output: o,
		i,
		opened,
		disabled,
		onremove
	}: {
		rule: Rule;
		output: Output;
		/** Zero-based place among the outputs. */
		i: number;
		/** The rule is open, and not only read. */
		opened: boolean;
		disabled: boolean;
		onremove: () => void;
	} = $props();

	const w = useWorkbench();
	const writer = $derived(writerOf(rule.body));
	const view = $derived(viewOf(rule.body));
	const label = $derived(w.schema.field(rule.type, o.field)?.label ?? o.field);
	const several = $derived(w.schema.field(rule.type, o.field)?.type === 'choices');
	const setOutput = (patch: Partial<Output>) =>
		w.editRule('output', rule.id, (r) => ({
			...r,
			outputs: r.outputs.map((x) => (x.id === o.id ? { ...x, ...patch } : x))
		}));
	const verbs = $derived([
		...(Object.keys(HOLD_HELP) as Hold[]).map((h) => ({
			value: h as string,
			label: HOLD_VERB[h],
			help: HOLD_HELP[h]
		})),
		...(several
			? [
					{
						value: 'adds',
						label: 'gains',
						help: 'added to the set; withdrawn when the reason goes; what people added stays'
					}
				]
			: [])
	]);
	function pick(v: string) {
		if (v === 'adds') return setOutput({ adds: true, hold: 'follow', closed: undefined });
		const hold = v as Hold;
		setOutput({
			hold,
			adds: undefined,
			...(hold === 'locked' && o.none === 'leave' ? { none: 'clear' as const } : {}),
			...(hold === 'locked' || hold === 'once' ? { closed: undefined } : {})
		});
	}
	/** What comes of no result in the end: where no rule follows, passing on leaves or clears. */
	const then = $derived(withoutResult(w.plan, rule, o));
	const nones = $derived(
		(Object.keys(NONE_LABEL) as NoResult[])
			.filter((v) => v !== 'leave' || o.hold !== 'locked')
			.map((value) => ({ value, label: NONE_LABEL[value] }))
	);
	/** Said where the author chose it; that it passes on, or leaves or clears because nothing follows, is as usual. */
	const saysNone = $derived(
		o.none === 'leave' ||
			(o.none === 'clear' && o.hold !== 'locked') ||
			(o.none === 'clear' && then !== 'clear')
	);
	const waits = $derived(o.hold === 'fill' ? reachOf(w, rule).watched : '');
	const last = $derived(i === rule.outputs.length - 1);
</script>

{#if !writer}{#if view.words}<view.words
			{rule}
			body={rule.body}
			output={o}
			{i}
			{opened}
			{disabled}
		/>{/if}
{:else}
	<Target {rule} output={o} label="Field it writes" {disabled} />
	<Word
		label="How firmly {label} is set"
		value={o.adds ? 'adds' : o.hold}
		choices={verbs}
		{disabled}
		onpick={pick}
	/>
	{#if view.words}<view.words
			{rule}
			body={rule.body}
			output={o}
			{i}
			{opened}
			{disabled}
		/>{/if}{#if o.hold === 'fill'}{waits
			? ` when ${waits} changes and it is blank`
			: ' on new records, if blank'}{/if}{#if o.hold === 'follow' && !o.adds}; <Word
			label="Who may set {label}"
			value={o.closed ? 'closed' : 'open'}
			text={o.closed ? 'only rules set it' : 'people may overrule'}
			{disabled}
			choices={[
				{
					value: 'open',
					label: 'people may overrule',
					help: 'until what it follows changes again'
				},
				{
					value: 'closed',
					label: 'only rules set it',
					help: 'while it applies, people cannot change the field'
				}
			]}
			onpick={(v) => setOutput({ closed: v === 'closed' ? true : undefined })}
		/>{/if}{#if o.hold === 'fill' && o.closed}; only rules set it{/if}{#if o.hold === 'locked' && rule.guard};
		when the condition lets go, the last value stays{/if}{#if saysNone}; without a result it
		<Word
			label="Without a result"
			value={o.none}
			text={NONE_LABEL[then]}
			choices={nones}
			{disabled}
			onpick={(v) => setOutput({ none: v as NoResult })}
		/>{/if}{#if !disabled && rule.outputs.length > 1}<button
			class="textlink pl-1 text-sm text-quiet"
			aria-label="No longer write {label}"
			onclick={onremove}>(not this field)</button
		>{/if}{#if last}.{/if}
{/if}
