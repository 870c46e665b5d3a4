<script lang="ts">
	/** Which records a list has: a condition, what of it counts as a change, who set a value, what is pending. */
	import type { Formula } from '$core';
	import { SETTERS, type ListAsked, type SetFact, type Setter } from '$door/lists';
	import { LINE_IS, type LineIs } from '$door/line';
	import ConditionList from '../conditions/ConditionList.svelte';
	import Choose from '../inputs/Choose.svelte';
	import Without from '../inputs/Without.svelte';
	import { useWorkbench } from '../work/workbench.svelte';
	import { LINE_LABEL, SETTER_LABEL } from './list';
	import { asksOfChanges } from '../../runtime/lists';
	import Within from './Within.svelte';

	let {
		type,
		asked,
		today,
		begin,
		onchange
	}: {
		type: string;
		asked: ListAsked;
		/** The day it is, ISO 8601. */
		today: string;
		/** Begins with a row whose first word is open. */
		begin: boolean;
		onchange: (asked: ListAsked) => void;
	} = $props();

	const w = useWorkbench();
	const { plural, fields } = $derived(w.schema.type(type).type);
	const rules = $derived(
		w.force.set.rules.filter((r) => r.type === type && r.outputs.some((o) => o.field))
	);
	const rulesOf = (field: string) => rules.filter((r) => r.outputs.some((o) => o.field === field));
	const written = $derived(fields.filter((f) => !f.retired));
	/** Who may have set it, the rules by name. */
	const setters = (field: string) => [
		{ value: 'rule', label: SETTER_LABEL.rule },
		...rulesOf(field).map((r) => ({ value: `rule ${r.id}`, label: `the rule “${r.name}”` })),
		...SETTERS.filter((s) => s !== 'rule').map((s) => ({ value: s, label: SETTER_LABEL[s] }))
	];
	function setFact(at: number, fact: SetFact | null) {
		onchange({
			...asked,
			setBy: fact
				? asked.setBy.map((s, i) => (i === at ? fact : s))
				: asked.setBy.filter((_, i) => i !== at)
		});
	}
	const pick = (s: SetFact, v: string): SetFact => {
		const [by, rule] = v.split(' ', 2);
		return { ...s, by: by as Setter, rule: rule ?? null };
	};
</script>

<div
	class="border-l-2 border-hairline py-1 pl-3"
	role="group"
	aria-label="Which {plural.toLowerCase()}"
>
	<ConditionList
		label="Which {plural}"
		formula={asked.where}
		schema={w.schema}
		{type}
		nothing="Whatever they hold."
		{begin}
		onchange={(where: Formula | null) => onchange({ ...asked, where })}
	/>
	<div class="mt-1 flex flex-wrap items-center gap-x-5 gap-y-1 text-sm">
		{#if asked.where}
			<label class="flex min-h-6 items-center gap-2"
				><input
					type="checkbox"
					checked={asked.untold}
					onchange={(e) => onchange({ ...asked, untold: e.currentTarget.checked })}
				/>those of which this cannot be told, instead</label
			>
		{/if}
		{#if asksOfChanges(asked)}
			<span class="flex flex-wrap items-center gap-2"
				><span class="text-quiet">The latest change of a field counts</span>
				<Within
					value={asked.period}
					{today}
					label="When changes count"
					of="changes"
					onchange={(period) => onchange({ ...asked, period })}
				/>
			</span>
		{/if}
		<span class="flex flex-wrap items-center gap-2"
			><span class="text-quiet">made</span>
			<Within
				value={asked.made}
				{today}
				label="When the record was made"
				of="making"
				onchange={(made) => onchange({ ...asked, made })}
			/>
		</span>
		<span class="flex flex-wrap items-center gap-2"
			><span class="text-quiet">last changed</span>
			<Within
				value={asked.changed}
				{today}
				label="When the record last changed"
				of="last changes"
				onchange={(changed) => onchange({ ...asked, changed })}
			/>
		</span>
		<label class="flex min-h-6 items-center gap-2"
			><input
				type="checkbox"
				checked={asked.pending}
				onchange={(e) => onchange({ ...asked, pending: e.currentTarget.checked })}
			/>pending: a change runs on to them and has not reached them</label
		>
		{#if w.pilot || asked.pilot}<label class="flex min-h-6 items-center gap-2"
				><input
					type="checkbox"
					checked={asked.pilot}
					onchange={(e) => onchange({ ...asked, pilot: e.currentTarget.checked })}
				/>in the pilot: {w.pilot
					? `release ${w.pilot.release} decides them`
					: 'none is on now'}</label
			>{/if}
		<span class="flex flex-wrap items-center gap-2"
			><label class="flex min-h-6 items-center gap-2"
				><input
					type="checkbox"
					checked={asked.line !== null}
					onchange={(e) =>
						onchange({
							...asked,
							line: e.currentTarget.checked ? { field: null, is: 'open' } : null
						})}
				/>would come out otherwise now</label
			>
			{#if asked.line}
				{@const line = asked.line}
				<Choose
					value={line.field ?? ''}
					choices={[
						{ value: '', label: 'any value' },
						...written
							.filter((f) => rulesOf(f.id).length)
							.map((f) => ({ value: f.id, label: f.label }))
					]}
					label="Which value is out of line"
					onpick={(v) => onchange({ ...asked, line: { ...line, field: v || null } })}
				/>
				<Choose
					value={line.is}
					choices={LINE_IS.map((is) => ({ value: is, label: LINE_LABEL[is] }))}
					label="How it is out of line"
					onpick={(v) => onchange({ ...asked, line: { ...line, is: v as LineIs } })}
				/>
			{/if}</span
		>
	</div>
	{#each asked.setBy as s, i (i)}
		<div
			class="mt-1 flex flex-wrap items-center gap-2 text-sm"
			role="group"
			aria-label="Set by {i + 1}"
		>
			<Choose
				value={s.field}
				choices={written.map((f) => ({ value: f.id, label: f.label }))}
				label="Which value"
				class="w-44"
				onpick={(field) => setFact(i, { field, by: s.by, rule: null })}
			/>
			<span class="text-quiet">was last set by</span>
			<Choose
				value={s.rule === null ? s.by : `rule ${s.rule}`}
				choices={setters(s.field)}
				label="Who set it"
				onpick={(v) => setFact(i, pick(s, v))}
			/>
			<Without label="Leave out who set it" onclick={() => setFact(i, null)} />
		</div>
	{/each}
	{#if asked.setBy.length < 10}
		<button
			class="textlink mt-1 text-sm"
			onclick={() =>
				onchange({
					...asked,
					setBy: [
						...asked.setBy,
						{ field: rules[0]?.outputs[0].field ?? written[0].id, by: 'rule', rule: null }
					]
				})}>who set a value</button
		>
	{/if}
</div>
