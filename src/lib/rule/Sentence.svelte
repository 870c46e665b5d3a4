<script lang="ts">
	/**
	 * A rule as a sentence whose words are the controls. What is as usual for its kind is not said and
	 * waits under *narrow it*; folded, the whole rule is plain words.
	 */
	import type { ClaimReport, Rule } from '$core';
	import { ENTRY_LABEL, ENTRY_POINTS, sayCondition } from '$core';
	import { readFormula } from '$core/feel/language';
	import ConditionList from '../conditions/ConditionList.svelte';
	import { viewOf } from '../kinds';
	import { MOMENT_CHOICES, andList, momentText, usualMoments } from '../words/format';
	import Word from '../words/Word.svelte';
	import WordSet from '../words/WordSet.svelte';
	import { useWorkbench } from '../work/workbench.svelte';
	import OutputWords from './OutputWords.svelte';
	import { editsOf, reachOf } from './reach';

	let {
		rule,
		report,
		opened,
		begun,
		disabled
	}: {
		rule: Rule;
		/** What it did at the sample. */
		report: ClaimReport | undefined;
		/** Its words are controls; else it is read. */
		opened: boolean;
		/** A condition was just asked for: its first word is open. */
		begun: boolean;
		disabled: boolean;
	} = $props();

	const w = useWorkbench();
	const edits = $derived(editsOf(w, rule));
	const reach = $derived(reachOf(w, rule));
	const view = $derived(viewOf(rule.body));
	const still = $derived(disabled || !opened);
	const guardWords = $derived.by(() => {
		if (!rule.guard) return '';
		const r = readFormula(rule.guard, { schema: w.schema, type: reach.setOffAt.id });
		if (!r.compiled) return r.text || '…';
		return sayCondition(r.compiled.expr, w.schema, w.sayValue);
	});
	/** Of a fill, what it waits for stands behind the value. */
	const fills = $derived(rule.outputs.some((o) => o.hold === 'fill'));
	const saysWatch = $derived(rule.watch !== null && !fills);
</script>

<div class="sentence">
	{#if rule.each}For each {reach.type.label.toLowerCase()} of
		{reach.setOffAt.label === reach.type.label
			? 'its'
			: `a ${reach.setOffAt.label.toLowerCase()}’s`}
		<Word
			label="Where it is set off"
			tone="reads"
			value={rule.each}
			disabled={still}
			choices={reach.links.map((f) => ({ value: f.id, label: f.label }))}
			onpick={edits.setOffAt}
		/>:{/if}
	{#if saysWatch}When
		<WordSet
			label="Watched fields"
			tone="reads"
			values={rule.watch}
			all="all that it reads"
			choices={reach.watchChoices}
			text={rule.watch?.length ? reach.watched : 'which fields?'}
			open={w.begun?.rule === rule.id && w.begun.first === 'watch'}
			disabled={still}
			onpick={edits.watch}
		/>
		changes{rule.guard ? ' and' : ','}{/if}
	{#if rule.guard}
		{#if rule.entering || !still}<Word
				label="How the condition counts"
				value={rule.entering ? 'entering' : 'each'}
				text={rule.entering
					? saysWatch
						? 'it comes to hold that'
						: 'When it comes to hold that'
					: saysWatch
						? 'if'
						: 'If'}
				disabled={still}
				choices={[
					{ value: 'each', label: 'if', help: 'each time, while the condition holds' },
					{
						value: 'entering',
						label: 'when it comes to hold that',
						help: 'only when it did not hold before'
					},
					{ value: 'always', label: 'always', help: 'without a condition' }
				]}
				onpick={edits.guardCounts}
			/>{:else}{saysWatch ? 'if' : 'If'}{/if}
		{#if !opened}<span class="condition">{guardWords}</span>:{/if}
	{/if}
	{#if rule.guard && opened}
		<div class="guard">
			<ConditionList
				label="Condition of {rule.name}"
				formula={rule.guard}
				schema={w.schema}
				type={reach.setOffAt.id}
				nothing="Nothing is asked yet."
				parts={report?.guard ?? null}
				begin={begun}
				{disabled}
				onchange={(f) => edits.guard(f)}
			/>
		</div>
	{/if}
	{#each rule.outputs as o, i (o.id)}
		{#if i};
		{/if}
		<OutputWords
			{rule}
			output={o}
			{i}
			{opened}
			disabled={still}
			onremove={() => edits.removeOutput(i)}
		/>
	{/each}
	{#if view.after}<view.after {rule} body={rule.body} {opened} disabled={still} />{/if}
	{#if rule.entryPoints}
		By
		<WordSet
			label="Entry points"
			values={rule.entryPoints}
			all="any entry point"
			choices={ENTRY_POINTS.map((e) => ({ value: e, label: ENTRY_LABEL[e] }))}
			text={andList(rule.entryPoints.map((e) => ENTRY_LABEL[e])) || 'no entry point'}
			disabled={still}
			onpick={edits.entryPoints}
		/> only.{/if}
	{#if !usualMoments(rule)}
		It applies
		<WordSet
			label="Moments"
			values={rule.moments}
			choices={MOMENT_CHOICES}
			text={momentText(rule.moments)}
			disabled={still}
			onpick={edits.moments}
		/>.{/if}
	{#if rule.submittedOnly}
		Only where somebody submits the record.{/if}
	{#if rule.refuses !== undefined}
		Should it fail, {rule.refuses
			? 'the whole change is refused'
			: 'the change goes through and history says so'}.{/if}
</div>

<style>
	.sentence {
		font-size: 15px;
		line-height: 2;
	}
	.guard {
		margin: 2px 0 6px;
		font-size: 14px;
		line-height: 1.5;
	}
	.condition {
		font-weight: 500;
	}
</style>
