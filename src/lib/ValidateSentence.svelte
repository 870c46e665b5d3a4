<script lang="ts">
	/** The part of a Validate rule's sentence behind the colon: what the field is, or what must hold. */
	import {
		FIELD_STATES,
		type Body,
		type FieldState,
		type Output,
		type Rule
	} from '$core/model/rules';
	import Word, { type Choice } from './Word.svelte';
	import { useWorkbench } from './workbench.svelte';

	let {
		rule,
		output,
		fields,
		disabled,
		onfield
	}: {
		rule: Rule;
		output: Output;
		/** The fields of the record type. */
		fields: Choice[];
		disabled: boolean;
		onfield: (id: string) => void;
	} = $props();

	const w = useWorkbench();
	const set = (label: string, body: Body) => w.editRule(label, rule.id, (r) => ({ ...r, body }));
	const HELP: Record<FieldState, string> = {
		required: 'a change that leaves it blank is refused',
		'read-only': 'what is sent for it is set aside',
		hidden: 'forms do not show it, and it is not required',
		limited: 'only the options ticked below are left'
	};
	const sources = $derived(
		w.schema
			.type(rule.type)
			.type.fields.filter((f) => f.type === 'choice' && f.id !== output.field)
			.map((f) => ({ value: f.id, label: f.label }))
	);
	const when: Choice[] = [
		{
			value: 'touched',
			label: 'when something it reads changes',
			help: 'old mistakes elsewhere stop nobody'
		},
		{ value: 'always', label: 'at every save' }
	];
</script>

{#if rule.body.kind === 'check'}
	{@const body = rule.body}
	what stands below must hold, else it
	<Word
		label="What the message does"
		value={body.blocking ? 'blocks' : 'advises'}
		{disabled}
		choices={[
			{ value: 'blocks', label: 'blocks', help: 'the change is refused' },
			{
				value: 'advises',
				label: 'advises',
				help: 'the change goes through, and the message is shown'
			}
		]}
		onpick={(v) => set('blocking', { ...body, blocking: v === 'blocks' })}
	/>
	at
	<Word
		label="Field the message is shown at"
		tone="writes"
		value={output.field}
		choices={fields}
		{disabled}
		onpick={onfield}
	/>; it counts
	<Word
		label="When it counts"
		value={body.always ? 'always' : 'touched'}
		choices={when}
		{disabled}
		onpick={(v) => set('when it counts', { ...body, always: v === 'always' })}
	/>.
{:else if rule.body.kind === 'state'}
	{@const body = rule.body}
	<Word
		label="Field it is about"
		tone="writes"
		value={output.field}
		choices={fields}
		{disabled}
		onpick={onfield}
	/>
	is
	<Word
		label="What the field is"
		value={body.state}
		{disabled}
		choices={FIELD_STATES.map((s) => ({ value: s, label: s, help: HELP[s] }))}
		onpick={(v) => set('state', { ...body, state: v as FieldState })}
	/>{#if body.state === 'required'}; it counts
		<Word
			label="When it counts"
			value={body.always ? 'always' : 'touched'}
			choices={when}
			{disabled}
			onpick={(v) => set('when it counts', { ...body, always: v === 'always' })}
		/>{/if}.
{:else if rule.body.kind === 'allowed'}
	{@const body = rule.body}
	<Word
		label="Field it is about"
		tone="writes"
		value={output.field}
		choices={fields}
		{disabled}
		onpick={onfield}
	/>
	is limited to what the grid allows for
	<Word
		label="Field that limits it"
		tone="reads"
		value={body.input}
		text={body.input ? undefined : 'which field?'}
		choices={sources}
		{disabled}
		onpick={(v) => set('input', { ...body, input: v, rows: {} })}
	/>.
{/if}
