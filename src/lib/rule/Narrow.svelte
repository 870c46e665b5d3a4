<script lang="ts">
	/** What narrows a rule: all that its sentence leaves unsaid while it is as usual. */
	import type { NoResult, Output, Rule } from '$core';
	import { ENTRY_LABEL, ENTRY_POINTS, refusesWhenFailing, withoutResult, writerOf } from '$core';
	import { MOMENT_CHOICES, NONE_LABEL, andList, momentText } from '../words/format';
	import Word from '../words/Word.svelte';
	import WordSet from '../words/WordSet.svelte';
	import { useWorkbench } from '../work/workbench.svelte';
	import { editsOf, reachOf } from './reach';

	let { rule, disabled, oncondition }: { rule: Rule; disabled: boolean; oncondition: () => void } =
		$props();

	const w = useWorkbench();
	const edits = $derived(editsOf(w, rule));
	const reach = $derived(reachOf(w, rule));
	const writer = $derived(writerOf(rule.body));
	const locked = $derived(rule.outputs.some((o) => o.hold === 'locked'));
	const label = (id: string) => w.schema.field(rule.type, id)?.label ?? id;
	const setOutput = (id: string, patch: Partial<Output>) =>
		w.editRule('output', rule.id, (r) => ({
			...r,
			outputs: r.outputs.map((x) => (x.id === id ? { ...x, ...patch } : x))
		}));
	const nones = (o: Output) => {
		const then = withoutResult(w.plan, rule, o);
		return (
			(Object.keys(NONE_LABEL) as NoResult[])
				.filter((v) => v !== 'leave' || o.hold !== 'locked')
				// where no rule follows, passing on is leaving or clearing under another name
				.filter((v) => v !== 'next' || then === 'next' || o.none === 'next')
				.map((v) => ({
					value: v,
					label: v === 'next' && then !== 'next' ? NONE_LABEL[then] : NONE_LABEL[v]
				}))
				.filter((c, i, all) => all.findIndex((x) => x.label === c.label) === i)
		);
	};
	const refuses = $derived(refusesWhenFailing(rule));
</script>

<dl class="narrow">
	{#if writer?.outputs(rule.body) === 'any'}
		<dt>Besides</dt>
		<dd>
			<button class="textlink" {disabled} onclick={edits.addOutput}>Write another field too</button>
		</dd>
	{/if}
	{#if !rule.guard}
		<dt>Only if</dt>
		<dd>
			<button class="textlink" {disabled} onclick={oncondition}>add a condition</button>
		</dd>
	{/if}
	<dt>Runs again when</dt>
	<dd>
		<WordSet
			label="Watched fields"
			tone="reads"
			values={rule.watch}
			all="all that it reads"
			choices={reach.watchChoices}
			text={reach.watched || 'what it reads'}
			{disabled}
			onpick={edits.watch}
		/> changes
	</dd>
	<dt>Comes in by</dt>
	<dd>
		<WordSet
			label="Entry points"
			values={rule.entryPoints}
			all="any entry point"
			choices={ENTRY_POINTS.map((e) => ({ value: e, label: ENTRY_LABEL[e] }))}
			text={rule.entryPoints
				? andList(rule.entryPoints.map((e) => ENTRY_LABEL[e])) || 'no entry point'
				: 'any entry point'}
			{disabled}
			onpick={edits.entryPoints}
		/>
	</dd>
	<dt>Applies</dt>
	<dd>
		<WordSet
			label="Moments"
			values={rule.moments}
			choices={MOMENT_CHOICES}
			text={momentText(rule.moments)}
			{disabled}
			onpick={edits.moments}
		/>
	</dd>
	{#if writer && !locked}
		<dt>To records</dt>
		<dd>
			<Word
				label="Which records"
				value={rule.submittedOnly ? 'submitted' : 'all'}
				{disabled}
				choices={[
					{ value: 'all', label: 'that somebody submits or another rule reaches' },
					{ value: 'submitted', label: 'only those that somebody submits' }
				]}
				onpick={(v) => edits.reached(v === 'submitted')}
			/>
		</dd>
	{/if}
	{#if writer && reach.links.length}
		<dt>Set off at</dt>
		<dd>
			<Word
				label="Where it is set off"
				value={rule.each ?? ''}
				{disabled}
				choices={[
					{ value: '', label: `the ${reach.type.label.toLowerCase()} itself` },
					...reach.links.map((f) => ({
						value: f.id,
						label: `its ${f.label}`,
						help: `a change of that record does it for each of these`
					}))
				]}
				onpick={edits.setOffAt}
			/>
		</dd>
	{/if}
	{#if writer}
		{#each rule.outputs as o (o.id)}
			{#if o.hold === 'follow' || o.hold === 'fill'}
				<dt>People</dt>
				<dd>
					<Word
						label="Who may set {label(o.field)}"
						value={o.closed ? 'closed' : 'open'}
						{disabled}
						choices={[
							{ value: 'open', label: `may overrule ${label(o.field)}` },
							{
								value: 'closed',
								label: `may not set ${label(o.field)}`,
								help: 'while it applies, only rules set the field'
							}
						]}
						onpick={(v) => setOutput(o.id, { closed: v === 'closed' ? true : undefined })}
					/>
				</dd>
			{/if}
			<dt>Without a result</dt>
			<dd>
				it
				<Word
					label="Without a result for {label(o.field)}"
					value={o.none}
					choices={nones(o)}
					{disabled}
					onpick={(v) => setOutput(o.id, { none: v as NoResult })}
				/>
				{#if rule.outputs.length > 1}<span class="text-quiet">({label(o.field)})</span>{/if}
			</dd>
		{/each}
	{/if}
	{#if writer || refusesWhenFailing({ ...rule, refuses: undefined })}
		<dt>Should it fail</dt>
		<dd>
			<Word
				label="What a failure does"
				value={refuses ? 'refuses' : 'lets'}
				{disabled}
				choices={[
					{
						value: 'lets',
						label: writer ? 'it leaves the field as it was' : 'it lets the change through',
						help: 'and history says so'
					},
					{ value: 'refuses', label: 'the whole change is refused' }
				]}
				onpick={(v) => edits.failure(v === 'refuses')}
			/>
		</dd>
	{/if}
</dl>

<style>
	.narrow {
		display: grid;
		grid-template-columns: 128px minmax(0, 1fr);
		gap: 2px 12px;
		margin-top: 8px;
		padding: 6px 0 4px;
		border-top: 1px solid var(--color-hairline);
		font-size: 13px;
		line-height: 1.9;
	}
	dt {
		color: var(--color-quiet);
	}
</style>
