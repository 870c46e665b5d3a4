<script lang="ts">
	/** A trial opened: its sample, its changes with what must come of each, and the rows of the last. */
	import type { EntryPoint, Expectation, Trial, TrialLine, TrialResult, TrialStep } from '$core';
	import {
		ENTRY_LABEL,
		ENTRY_POINTS,
		canonicalJson,
		reason,
		ruleOf,
		keepingRows,
		runTrial,
		sayExpectation,
		sayGot,
		sheetOf,
		stepsOf
	} from '$core';
	import { tick, untrack } from 'svelte';
	import LinkInput from '../inputs/LinkInput.svelte';
	import SearchPick from '../inputs/SearchPick.svelte';
	import { Refused } from '../work/http';
	import { takeLinked, takeRecord } from './taken';
	import Word from '../words/Word.svelte';
	import { zones } from '../../runtime/zones';
	import { useWorkbench } from '../work/workbench.svelte';
	import ExpectationRow from './ExpectationRow.svelte';
	import Rows from './Rows.svelte';
	import Values from './Values.svelte';
	import { nameOf, saySample, trialWords } from './words';

	let {
		trial,
		fresh = false,
		gone = false,
		onclose,
		onkeep
	}: {
		trial: Trial;
		/** It is not kept yet. */
		fresh?: boolean;
		/** Somebody took it away while it is open here. */
		gone?: boolean;
		onclose: () => void;
		/** Told the trial to keep, and as what it was seen, null for none; what is said against it comes back. */
		onkeep: (t: Trial, had: Trial | null) => Promise<string | null>;
	} = $props();

	/** Outcomes that say why a value is as it was expected. */
	const WROTE: string[] = ['wrote', 'same value', 'cleared', 'said', 'sends', 'in effect'];
	const uid = $props.id();
	const w = useWorkbench();
	const words = $derived(trialWords(w));
	const disabled = $derived(!w.canEdit);
	let mine = $state.raw<Trial>(untrack(() => trial));
	let trouble = $state<string | null>(null);
	let keeping = $state(false);
	// what somebody else stored is taken over where nothing was written here
	let known = untrack(() => trial);
	/** Somebody stored it otherwise since something was written here. */
	let theirs = $state(false);
	$effect(() => {
		if (canonicalJson(trial) === canonicalJson(known)) return;
		if (canonicalJson(mine) === canonicalJson(known)) mine = trial;
		else theirs = canonicalJson(mine) !== canonicalJson(trial);
		known = trial;
	});
	const edited = $derived(fresh || gone || canonicalJson(mine) !== canonicalJson(trial));
	const result = $derived<TrialResult>(runTrial(w.plan, mine, zones));
	const steps = $derived(stepsOf(mine));
	const expects = $derived([...steps, ...(mine.rows ?? [])].some((s) => s.expect.length));

	/** A stored record is being chosen, and what is to be known of the one that was taken. */
	let taking = $state(false);
	let taken = $state('');
	async function take(id: string) {
		taken = '';
		try {
			const { title, links, cut, ...sample } = await takeRecord(w.plan, mine.type, id);
			w.titles.learn(links);
			const { record: _record, added: _added, ...rest } = mine;
			mine = { ...rest, ...sample };
			const n = sample.near?.length ?? 0;
			taken = `As “${title}” is stored now${n ? `, with ${n} linked ${n === 1 ? 'record' : 'records'}` : ''}.${cut ? ' There are more linked ones than a trial keeps: what reads them is shown as unknown.' : ''} What becomes of it later changes nothing here.`;
			taking = false;
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			taken = e.unreachable ? 'The server cannot be reached; the trial is as it was.' : e.message;
		}
	}
	/** Who makes a change: with what rules read of them. */
	async function byPerson(i: number, person: string | null, title: string) {
		const type = w.model.personType;
		patch(i, { person });
		if (!type || person === null) return;
		w.titles.learn({ [`${type}.${person}`]: title });
		if (mine.near?.some((r) => r.type === type && r.id === person)) return;
		try {
			const more = await takeLinked(w.plan, { type, id: person });
			mine = { ...mine, near: [...(mine.near ?? []), ...more] };
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
	}

	function putStep(i: number, step: TrialStep) {
		mine =
			i === 0
				? { ...mine, ...step }
				: { ...mine, then: (mine.then ?? []).map((s, k) => (k === i - 1 ? step : s)) };
	}
	const stepOf = (i: number): TrialStep => {
		const { sent, entryPoint, at, person, expect } = steps[i];
		return { sent, entryPoint, at, ...(person === undefined ? {} : { person }), expect };
	};
	const patch = (i: number, p: Partial<TrialStep>) => putStep(i, { ...stepOf(i), ...p });
	async function addStep() {
		const last = stepOf(steps.length - 1);
		mine = { ...mine, then: [...(mine.then ?? []), { ...last, sent: [], expect: [] }] };
		// what is said next is said there
		await tick();
		const added = document.getElementById(`${uid}-${steps.length - 1}`);
		added?.scrollIntoView({ block: 'nearest' });
		added?.querySelector<HTMLElement>('[data-popover-trigger]')?.focus({ preventScroll: true });
	}
	function removeStep(i: number) {
		const then = (mine.then ?? []).filter((_, k) => k !== i - 1);
		const { then: _then, ...rest } = mine;
		mine = then.length ? { ...rest, then } : rest;
	}
	const lines = (i: number): TrialLine[] =>
		result.lines.filter((l) => l.step === i && l.row === undefined);
	/** A line of what the change expects: with rows, the first that failed. */
	const lineAt = (i: number, k: number) => {
		if (i < steps.length - 1 || !mine.rows?.length) return lines(i)[k];
		const all = mine.rows.map((_, r) => result.lines.filter((l) => l.step === i && l.row === r)[k]);
		return all.find((l) => l && !l.held) ?? all[0];
	};
	const more = (i: number) => () => [
		...w.schema
			.type(mine.type)
			.type.fields.filter((f) => !f.retired)
			.map((f) => ({ id: `field ${f.id}`, label: f.label, group: f.group })),
		{ id: 'refused', label: 'Whether the change is refused', group: 'Besides' },
		{ id: 'messages', label: 'How many messages leave', group: 'Besides' },
		...w.draft.rules
			.filter((r) => r.type === mine.type && !r.off)
			.map((r) => ({ id: `rule ${r.id}`, label: `“${r.name}” writes nothing`, group: 'Rules' })),
		...(mine.near ?? []).map((r) => ({
			id: `near ${r.type} ${r.id}`,
			label: `A field of ${w.titles.all[`${r.type}.${r.id}`] ?? `${w.schema.types.get(r.type)?.type.label} ${r.id}`}`,
			group: 'Linked records',
			also: String(i)
		}))
	];
	function expectMore(i: number, id: string) {
		const [what, a, b] = id.split(' ');
		const value = lineValue(a);
		const x: Expectation =
			what === 'field'
				? { field: a, value }
				: what === 'refused'
					? { refused: true }
					: what === 'messages'
						? { messages: 0 }
						: what === 'rule'
							? { rule: a, writes: false }
							: {
									field: w.schema.type(a).type.title,
									value: null,
									at: { type: a, id: b }
								};
		patch(i, { expect: [...steps[i].expect, x] });
	}
	/** What a field comes to now: the expected value to begin with. */
	function lineValue(field: string) {
		const f = w.schema.field(mine.type, field);
		if (!f) return null;
		const one = { ...mine, then: undefined, rows: undefined, expect: [{ field, value: null }] };
		const got = runTrial(w.plan, one, zones).lines[0]?.got;
		return typeof got === 'number' || got === undefined ? null : got;
	}
	/** The sheet of the first field of which something is expected. */
	const sheet = $derived.by(() => {
		const all = [...steps, ...(mine.rows ?? [])].flatMap((s) => s.expect);
		const named = all.find((x) => 'field' in x && x.field !== undefined && !('at' in x && x.at));
		const field = named && 'field' in named ? named.field : undefined;
		return `/write/${mine.type}/${field ?? w.schema.type(mine.type).type.title}`;
	});
	async function keep() {
		keeping = true;
		mine = keepingRows(w.plan, { ...mine, name: mine.name.trim() || nameOf(mine, words) }, zones);
		trouble = await onkeep(mine, fresh || gone ? null : trial);
		if (!trouble) theirs = false;
		keeping = false;
	}
</script>

<div class="max-w-4xl">
	{#if !disabled}
		<div class="flex flex-wrap gap-2">
			<input
				class="box min-w-60 grow font-semibold"
				aria-label="Name of the trial"
				placeholder="Name, or what it says"
				maxlength="300"
				value={mine.name}
				oninput={(e) => (mine = { ...mine, name: e.currentTarget.value })}
			/>
			<input
				class="box w-44"
				aria-label="Group of the trial"
				placeholder="Group"
				maxlength="100"
				value={mine.group ?? ''}
				oninput={(e) => {
					const { group: _group, ...rest } = mine;
					const group = e.currentTarget.value;
					mine = group ? { ...rest, group } : rest;
				}}
			/>
		</div>
	{/if}
	{#if result.fault}<p class="mt-1 text-brick" role="alert">● {result.fault}</p>{/if}

	<h3 class="mt-2 text-sm">The record before</h3>
	{#if disabled}<p>{saySample(mine, words)}</p>
	{:else}
		<p>
			<Word
				label="Whether the record is new"
				value={mine.was === null ? 'new' : 'stored'}
				choices={[
					{ value: 'new', label: `a new ${w.schema.type(mine.type).type.label.toLowerCase()}` },
					{
						value: 'stored',
						label: `a stored ${w.schema.type(mine.type).type.label.toLowerCase()} with`
					}
				]}
				onpick={(v) => (mine = { ...mine, was: v === 'new' ? null : (mine.was ?? {}) })}
			/>
			{#if mine.near?.length}<span class="ml-1 text-quiet"
					>({mine.near.length} linked {mine.near.length === 1 ? 'record' : 'records'} at hand)</span
				>{/if}
			{#if !taking}<button class="textlink ml-2" onclick={() => (taking = true)}
					>as a record is stored …</button
				>{/if}
		</p>
		{#if taking}<div class="my-1 flex max-w-md items-center gap-3">
				<label class="text-quiet" for="{uid}-taken">Take</label>
				<div class="grow">
					<LinkInput
						id="{uid}-taken"
						value={null}
						title=""
						target={mine.type}
						onchange={(id) => {
							if (typeof id === 'string') void take(id);
						}}
					/>
				</div>
				<button class="textlink" onclick={() => (taking = false)}>Leave it</button>
			</div>{/if}
		{#if taken}<p class="text-quiet" role="status">{taken}</p>{/if}
		{#if mine.was !== null}
			<Values
				values={Object.entries(mine.was)}
				type={mine.type}
				schema={w.schema}
				links={w.titles.all}
				name="before"
				ask="a value that it holds"
				onchange={(v) => (mine = { ...mine, was: Object.fromEntries(v) })}
			/>
		{/if}
	{/if}

	{#each steps as step, i (i)}
		<section id="{uid}-{i}" class="mt-2 border-t border-hairline pt-1">
			<h3 class="text-sm">
				{steps.length > 1 ? `Change ${i + 1}` : 'The change'}
				<span class="font-normal text-quiet">by the</span>
				<Word
					label="Entry point of change {i + 1}"
					value={step.entryPoint}
					choices={ENTRY_POINTS.map((e) => ({ value: e, label: ENTRY_LABEL[e] }))}
					{disabled}
					onpick={(e) => patch(i, { entryPoint: e as EntryPoint })}
				/>
				<span class="font-normal text-quiet">at</span>
				<input
					class="plain mono w-52 font-normal"
					aria-label="Moment of change {i + 1}, in UTC"
					{disabled}
					value={step.at.slice(0, 16).replace('T', ' ')}
					onchange={(e) => {
						const at = new Date(`${e.currentTarget.value.trim().replace(' ', 'T')}Z`);
						if (Number.isNaN(at.getTime()))
							e.currentTarget.value = step.at.slice(0, 16).replace('T', ' ');
						else patch(i, { at: at.toISOString() });
					}}
				/>
				{#if w.model.personType}{@const person = step.person ?? null}
					{@const name =
						person === null
							? ''
							: (w.titles.all[`${w.model.personType}.${person}`] ?? `No. ${person}`)}
					<span class="font-normal text-quiet">by</span>
					{#if disabled}<span class="font-normal">{name || 'nobody in particular'}</span>
					{:else}<span class="inline-block w-44 font-normal"
							><label class="sr-only" for="{uid}-by-{i}">Who makes change {i + 1}</label><LinkInput
								id="{uid}-by-{i}"
								value={person}
								title={name}
								target={w.model.personType}
								onchange={(v, title) => void byPerson(i, typeof v === 'string' ? v : null, title)}
							/></span
						>{/if}{/if}
				{#if !disabled && i > 0}<button
						type="button"
						class="textlink font-normal"
						onclick={() => removeStep(i)}>leave out this change</button
					>{/if}
			</h3>
			<Values
				values={step.sent}
				type={mine.type}
				schema={w.schema}
				links={w.titles.all}
				name="change {i + 1}"
				ask="a value that is sent"
				{disabled}
				onchange={(sent) => patch(i, { sent })}
			/>
			<h4 class="mt-1 text-sm font-semibold text-brass-ink">must give</h4>
			{#each step.expect as x, k (k)}
				{@const line = lineAt(i, k)}
				{@const said = sayExpectation(mine.type, x, words)}
				<div class="pl-3">
					{#if disabled}<p>{said}</p>
					{:else}<ExpectationRow
							expectation={x}
							type={mine.type}
							schema={w.schema}
							links={w.titles.all}
							{said}
							name="{k + 1} of change {i + 1}"
							onchange={(next) => patch(i, { expect: step.expect.with(k, next) })}
							onremove={() => patch(i, { expect: step.expect.filter((_, j) => j !== k) })}
						/>{/if}
					{#if line}
						<p class={line.held ? 'text-teal' : 'text-brick'}>
							{line.held ? '✓ holds' : `✕ ${sayGot(mine.type, line, words)}`}
						</p>
						{#each line.reports.filter((r) => !line.held || WROTE.includes(r.outcome)) as r (r.claim)}
							{@const rule = ruleOf(w.plan, r.claim)}
							<p class="pl-4 text-sm">
								{#if rule}“<a
										class="textlink"
										href="/write/{rule.type}/{sheetOf(rule)}#rule-{rule.id}">{rule.name}</a
									>”:{/if}
								{reason(w.plan, r)}.
							</p>
						{:else}{#if !line.held}<p class="pl-4 text-sm text-quiet">
									No rule has to do with it.
								</p>{/if}{/each}
					{/if}
				</div>
			{/each}
			{#if !disabled}
				<p class="pl-3">
					<SearchPick
						text="something that is expected"
						label="Expect something of change {i + 1}"
						choices={more(i)}
						look="word"
						tone="writes"
						unsaid
						onpick={(id) => expectMore(i, id)}
					/>
				</p>
			{/if}
			{#if i === steps.length - 1 && (mine.rows?.length || !disabled)}
				<h4 class="mt-2 text-sm font-semibold">
					{mine.rows?.length ? 'once for each row' : 'Rows: the same with other values'}
				</h4>
				<Rows
					rows={mine.rows ?? []}
					type={mine.type}
					schema={w.schema}
					outcome={result.lines.filter((l) => l.step === i)}
					{disabled}
					onchange={(rows) => {
						const { rows: _rows, ...rest } = mine;
						mine = rows.length ? { ...rest, rows } : rest;
					}}
				/>
			{/if}
		</section>
	{/each}

	<p class="mt-1 flex gap-4">
		{#if !disabled}<button type="button" class="textlink" onclick={() => void addStep()}
				>and then another change</button
			>{/if}
		<a class="textlink" href={sheet} onclick={() => w.showTrial(mine)}
			>See {steps.length > 1 ? 'its first change' : 'it'} on the sheet</a
		>
	</p>
	{#if gone}<p class="mt-2 text-ochre" role="status">
			▲ Somebody took this trial away meanwhile. What stands here is not kept.
		</p>
	{:else if theirs}<p class="mt-2 text-ochre" role="status">
			▲ Somebody stored this trial otherwise meanwhile. Yours takes its place when you keep it.
			<button
				type="button"
				class="textlink"
				onclick={() => {
					mine = trial;
					theirs = false;
					trouble = null;
				}}>Take theirs instead</button
			>
		</p>{/if}
	{#if !disabled}
		<div class="mt-2 flex items-center gap-2">
			<button
				type="button"
				class="button main"
				disabled={!edited || !expects || keeping}
				onclick={() => void keep()}>{fresh ? 'Keep the trial' : 'Keep the changes'}</button
			>
			<button
				type="button"
				class="button"
				onclick={() => {
					mine = trial;
					onclose();
				}}>{edited ? 'Cancel' : 'Close'}</button
			>
			{#if !expects}<span class="text-sm text-quiet">It expects nothing yet.</span>{/if}
			{#if trouble}<p class="text-sm text-brick" role="alert">● {trouble}</p>{/if}
		</div>
	{/if}
</div>
