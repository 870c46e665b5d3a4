<script lang="ts">
	import type { EntryPoint, Field, Finding, Format, MomentName, Rule } from '$core';
	import {
		refusesWhenFailing,
		ENTRY_LABEL,
		ENTRY_POINTS,
		MOMENTS,
		isAbout,
		namesakes,
		reason,
		toJson,
		withoutOutput,
		writerOf
	} from '$core';
	import { BOOLEAN } from '$core/feel/language';
	/** One rule as a sentence whose words are the controls, with the editor that fits its kind below it. */
	import type { HTMLAttributes } from 'svelte/elements';
	import { page } from '$app/state';
	import { DropdownMenu } from 'bits-ui';
	import Ellipsis from '@lucide/svelte/icons/ellipsis';
	import FormulaInput from '../inputs/FormulaInput.svelte';
	import Accept from './Accept.svelte';
	import OutputWords from './OutputWords.svelte';
	import Word from '../words/Word.svelte';
	import WordSet from '../words/WordSet.svelte';
	import { formatValue } from '../words/format';
	import { viewOf } from '../kinds';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		rule,
		field,
		place,
		count,
		lead,
		handle
	}: {
		rule: Rule;
		/** The field on whose sheet it is shown. */
		field: Field;
		/** Zero-based place in the claim order, and how many rules there are. */
		place: number;
		count: number;
		/** Open from the start; the others are folded to their sentence. */
		lead: boolean;
		/** Of the handle by which it is moved; null where it cannot be. */
		handle: HTMLAttributes<HTMLSpanElement> | null;
	} = $props();

	const w = useWorkbench();
	const disabled = $derived(!w.canEdit);
	const type = $derived(w.schema.type(rule.type).type);
	const status = $derived(w.changes.find((c) => c.id === rule.id)?.what);
	const found = $derived(w.found.filter((f) => isAbout(f, rule.id)));
	const accepted = $derived(w.accepted.filter((f) => isAbout(f, rule.id)));
	/** The name that the rule had before it was typed over. */
	let called = '';
	const twins = $derived(namesakes(w.draft, rule));
	/** The finding that is about to be accepted. */
	let accepting = $state.raw<Finding | null>(null);
	/** One that was: it becomes a quiet line, and the focus goes with it. */
	let followed = $state<string | null>(null);
	$effect(() => {
		if (!followed || !accepted.some((f) => f.id === followed)) return;
		document.getElementById(`finding-${followed}`)?.focus();
		followed = null;
	});
	const report = $derived(
		w.result?.reports.find((r) => r.rule === rule.id && r.field === field.id)
	);
	const claim = $derived.by(() => {
		const { claims, validators, messages } = w.shown.plan;
		const id = `${rule.id}:${rule.outputs.find((o) => o.field === field.id)?.id}`;
		return claims.get(id) ?? validators.get(id) ?? messages.find((m) => m.rule.id === rule.id);
	});
	/** The record type at which it is set off: its own, or the one its `each` link points to. */
	const setOffAt = $derived(
		w.schema.type((rule.each && w.schema.field(rule.type, rule.each)?.target) || rule.type).type
	);
	const edit = (label: string, change: (r: Rule) => Rule) => w.editRule(label, rule.id, change);
	/** What the person chose; else what the sheet begins with. */
	let chosen = $state<boolean | null>(null);
	const opened = $derived(chosen ?? (lead || page.url.hash === `#rule-${rule.id}`));

	// ---- the words --------------------------------------------------------------------------

	const and = (xs: string[]) =>
		xs.length > 1 ? `${xs.slice(0, -1).join(', ')} and ${xs.at(-1)}` : (xs[0] ?? '');
	const watched = $derived.by(() => {
		if (rule.watch) {
			const at = setOffAt.id;
			const names = rule.watch.map((id) => w.schema.field(at, id)?.label ?? id);
			return names.length ? and(names) : 'nothing';
		}
		const own = claim
			? [...new Set([...claim.triggers, ...claim.triggersSent])].map((i) => type.fields[i].label)
			: [];
		for (const r of claim && 'reached' in claim ? claim.reached : []) {
			const field = w.schema.field(r.type, r.field)?.label ?? r.field;
			// at the record that sets it off the field stands for itself
			const near = rule.each && r.via.length === 1;
			const name = near ? field : `${w.schema.type(r.type).type.label}’s ${field}`;
			if (!own.includes(name)) own.push(name);
		}
		return own.length ? and(own) : 'what it reads';
	});
	const watchChoices = $derived(
		setOffAt.fields.filter((f) => !f.retired).map((f) => ({ value: f.id, label: f.label }))
	);
	const links = $derived(type.fields.filter((f) => f.type === 'link' && !f.retired));
	const entryText = $derived(
		rule.entryPoints
			? and(rule.entryPoints.map((e) => ENTRY_LABEL[e])) || 'no entry point'
			: 'any entry point'
	);
	const momentText = $derived.by(() => {
		const has = (m: MomentName) => rule.moments.includes(m);
		if (has('created') && has('changed'))
			return has('request')
				? 'on new and existing records'
				: 'on new and existing records, not on request';
		if (has('created')) return 'on new records';
		if (has('changed')) return 'on existing records';
		return has('request') ? 'on request only' : 'never';
	});
	/** The duplicate just made: what is done next is to say how it differs, its name first. */
	let duplicate: string | null = null;
	function afterMenu(e: Event) {
		const name = document.querySelector<HTMLInputElement>(
			`#rule-${duplicate} [aria-label="Name of the rule"]`
		);
		duplicate = null;
		if (!name) return;
		e.preventDefault();
		name.focus();
		name.select();
	}
	const guardShown = $derived(rule.guard !== null);

	// ---- several outputs --------------------------------------------------------------------

	const writer = $derived(writerOf(rule.body));
	const view = $derived(viewOf(rule.body));
	const severalOutputs = $derived(writer?.outputs(rule.body) === 'any');
	function addOutput() {
		const taken = new Set(rule.outputs.map((o) => o.field));
		const next =
			type.fields.find((f) => !f.retired && !taken.has(f.id) && f.type === field.type) ??
			type.fields.find((f) => !f.retired && !taken.has(f.id));
		if (!next) return;
		let n = rule.outputs.length + 1;
		while (rule.outputs.some((o) => o.id === `o${n}`)) n++;
		edit('another output', (r) => ({
			...r,
			outputs: [
				...r.outputs,
				{ id: `o${n}`, field: next.id, hold: r.outputs[0].hold, none: r.outputs[0].none }
			]
		}));
	}
	/** Takes an output away, with what the body holds for it. */
	const removeOutput = (at: number) => edit('output', (r) => withoutOutput(r, at));

	const sayValue: Format = (ref, v) => {
		const f = w.schema.field(ref.type, ref.field);
		return v === null ? 'blank' : f ? formatValue(f, toJson(v), w.schema, w.titles.all) : String(v);
	};
</script>

<article
	class="mb-3 border border-line bg-sheet"
	class:off={rule.off}
	id="rule-{rule.id}"
	aria-label={rule.name}
>
	<div class="px-4 pt-3 pb-3">
		<header class="flex items-start gap-3">
			{#if !handle || count < 2}
				<span class="mono pt-1 font-semibold text-brass-ink" aria-hidden="true">{place + 1}</span>
			{:else}
				<span
					class="mono inline-block min-h-6 min-w-6 cursor-grab pt-1 text-left font-semibold text-brass-ink"
					{...handle}>{place + 1}</span
				>
			{/if}
			<div class="min-w-0 grow">
				<input
					class="plain w-full font-semibold"
					aria-label="Name of the rule"
					value={rule.name}
					{disabled}
					maxlength="200"
					onfocus={() => (called = rule.name)}
					oninput={(e) => {
						const name = e.currentTarget.value;
						edit('name', (r) => ({ ...r, name }));
					}}
					onblur={() => {
						// a rule without a name cannot be spoken of
						if (!rule.name.trim()) edit('name', (r) => ({ ...r, name: called }));
					}}
					aria-describedby={twins.length ? `twins-${rule.id}` : undefined}
				/>
				{#if twins.length}<p id="twins-{rule.id}" class="mt-1 text-xs text-ochre">
						▲ Another rule of {type.label} has this name: give one of them another, so that people can
						tell them apart.
					</p>{/if}
				<input
					class="plain w-full text-sm text-quiet"
					aria-label="Why the rule exists"
					placeholder="One line on why it exists"
					value={rule.why}
					{disabled}
					maxlength="1000"
					oninput={(e) => {
						const why = e.currentTarget.value;
						edit('why', (r) => ({ ...r, why }));
					}}
				/>
			</div>
			{#if status}<span class="border border-line px-1.5 text-xs whitespace-nowrap text-quiet"
					>{status === 'new' ? 'new, not live yet' : 'changed, not live yet'}</span
				>{/if}
			{#if count > 1}<button
					class="textlink text-sm whitespace-nowrap"
					aria-expanded={opened}
					aria-label="{opened ? 'Fold' : 'Unfold'} {rule.name}"
					onclick={() => (chosen = !opened)}>{opened ? 'Fold' : 'Unfold'}</button
				>{/if}
			{#if !disabled}
				<DropdownMenu.Root>
					<DropdownMenu.Trigger
						class="grid h-6 w-7 place-items-center hover:bg-band-1"
						aria-label="More for {rule.name}"
						><Ellipsis size={16} aria-hidden="true" /></DropdownMenu.Trigger
					>
					<DropdownMenu.Portal>
						<DropdownMenu.Content
							align="end"
							sideOffset={2}
							class="menu z-50 min-w-56 border border-ink bg-sheet py-1"
							onCloseAutoFocus={afterMenu}
						>
							<DropdownMenu.Item
								class="item"
								disabled={place === 0}
								onSelect={() => w.place(rule.type, field.id, rule.id, place - 1)}
								>Move up</DropdownMenu.Item
							>
							<DropdownMenu.Item
								class="item"
								disabled={place === count - 1}
								onSelect={() => w.place(rule.type, field.id, rule.id, place + 1)}
								>Move down</DropdownMenu.Item
							>
							<DropdownMenu.Item
								class="item"
								onSelect={() => (duplicate = w.duplicateRule(rule.id))}>Duplicate</DropdownMenu.Item
							>
							<DropdownMenu.Item
								class="item"
								onSelect={() => edit('switch', (r) => ({ ...r, off: !r.off }))}
								>{rule.off ? 'Switch on' : 'Switch off in the draft'}</DropdownMenu.Item
							>
							{#if writer && !rule.each}
								{#each links as f (f.id)}<DropdownMenu.Item
										class="item"
										onSelect={() =>
											edit('set off at', (r) => ({
												...r,
												each: f.id,
												watch: null,
												guard: null,
												entering: false,
												outputs: r.outputs.map((o) =>
													o.hold === 'locked' ? { ...o, hold: 'follow' as const } : o
												)
											}))}>Set off by a change at its {f.label}</DropdownMenu.Item
									>{/each}
							{/if}
							{#if !rule.outputs.some((o) => o.hold === 'locked') && writer}<DropdownMenu.Item
									class="item"
									onSelect={() =>
										edit('reached', (r) => ({
											...r,
											submittedOnly: r.submittedOnly ? undefined : true
										}))}
									>{rule.submittedOnly
										? 'Also where another rule reaches the record'
										: 'Only where somebody submits the record'}</DropdownMenu.Item
								>{/if}
							{#if writer || refusesWhenFailing({ ...rule, refuses: undefined })}<DropdownMenu.Item
									class="item"
									onSelect={() =>
										edit('failure', (r) => {
											const then = !refusesWhenFailing(r);
											const usual = refusesWhenFailing({ ...r, refuses: undefined });
											return { ...r, refuses: then === usual ? undefined : then };
										})}
									>{!refusesWhenFailing(rule)
										? 'A failure refuses the change'
										: writer
											? 'A failure leaves the field as it was'
											: 'A failure lets the change through'}</DropdownMenu.Item
								>{/if}
							{#if status}<DropdownMenu.Item class="item" onSelect={() => w.revertRule(rule.id)}
									>{status === 'new'
										? 'Take out of the draft'
										: 'Put back as in force'}</DropdownMenu.Item
								>{/if}
							{#if status !== 'new'}<DropdownMenu.Item
									class="item"
									onSelect={() => w.removeRule(rule.id)}>Remove</DropdownMenu.Item
								>{/if}
						</DropdownMenu.Content>
					</DropdownMenu.Portal>
				</DropdownMenu.Root>
			{/if}
		</header>

		<div class="mt-2 ml-6">
			{#if rule.refuses !== undefined}<p class="text-sm text-quiet">
					Should it fail, {rule.refuses
						? 'the whole change is refused'
						: 'the change goes through and history says so'}.
				</p>{/if}
			{#if rule.off}<p class="text-ochre">
					▲ Switched off: it is kept in the draft and does nothing.
				</p>{/if}
			<p class="text-[15px] leading-8">
				When
				{#if rule.each}
					at its
					<Word
						label="Where it is set off"
						tone="reads"
						value={rule.each}
						{disabled}
						choices={[
							...links.map((f) => ({ value: f.id, label: f.label })),
							{ value: '', label: `(the ${type.label.toLowerCase()} itself)` }
						]}
						onpick={(v) =>
							edit('set off at', (r) => ({
								...r,
								each: v || undefined,
								watch: null,
								guard: null,
								entering: false
							}))}
					/>
				{/if}
				<WordSet
					label="Watched fields"
					tone="reads"
					values={rule.watch}
					all="all that it reads"
					choices={watchChoices}
					text={watched}
					{disabled}
					onpick={(v) => edit('watch', (r) => ({ ...r, watch: v }))}
				/>
				changes, by
				<WordSet
					label="Entry points"
					values={rule.entryPoints}
					all="any entry point"
					choices={ENTRY_POINTS.map((e) => ({ value: e, label: ENTRY_LABEL[e] }))}
					text={entryText}
					{disabled}
					onpick={(v) =>
						edit('entry points', (r) => ({ ...r, entryPoints: v as EntryPoint[] | null }))}
				/>,
				<WordSet
					label="Moments"
					values={rule.moments}
					choices={MOMENTS.map((m) => ({
						value: m,
						label: {
							created: 'new records',
							changed: 'existing records',
							request: 'on request (bulk)'
						}[m]
					}))}
					text={momentText}
					{disabled}
					onpick={(v) => edit('moments', (r) => ({ ...r, moments: (v ?? []) as MomentName[] }))}
				/>{#if rule.submittedOnly},
					<Word
						label="Which records"
						value="submitted"
						text="only where somebody submits it"
						{disabled}
						choices={[
							{ value: 'submitted', label: 'only where somebody submits it' },
							{ value: 'all', label: 'also where another rule reaches it' }
						]}
						onpick={(v) =>
							edit('reached', (r) => ({
								...r,
								submittedOnly: v === 'submitted' ? true : undefined
							}))}
					/>{/if},
				{#if guardShown}
					<Word
						label="How the guard is met"
						value={rule.entering ? 'entering' : 'each'}
						{disabled}
						choices={[
							{ value: 'each', label: 'if', help: 'each time, while the condition holds' },
							{
								value: 'entering',
								label: 'when it comes to hold that',
								help: 'only when it did not hold before'
							},
							{ value: 'always', label: 'always', help: 'without a condition' }
						]}
						onpick={(v) => {
							edit('guard', (r) =>
								v === 'always'
									? { ...r, guard: null, entering: false }
									: { ...r, entering: v === 'entering' }
							);
						}}
					/>
					the condition below holds:
				{:else}
					<button
						class="word"
						{disabled}
						onclick={() => {
							edit('guard', (r) => ({ ...r, guard: { text: '' } }));
						}}>always</button
					>:
				{/if}
				{#each rule.outputs as o, i (o.id)}
					{#if i};
					{/if}
					<OutputWords {rule} output={o} {i} {disabled} onremove={() => removeOutput(i)} />
				{/each}
				{#if view.after}<view.after {rule} body={rule.body} {disabled} />{/if}
				{#if !disabled && severalOutputs}<button class="textlink text-sm" onclick={addOutput}
						>Write another field too</button
					>{/if}
			</p>

			{#if guardShown}
				<div class="mt-1 border-l-2 border-teal pl-3">
					<FormulaInput
						label="Condition of {rule.name}"
						formula={rule.guard ?? { text: '' }}
						schema={w.schema}
						type={setOffAt.id}
						expected={BOOLEAN}
						{disabled}
						margin={report?.guard?.length
							? report.guard.every((g) => g.result === true)
								? 'holds'
								: report.outcome === 'guard unknown'
									? 'unknown'
									: report.outcome === 'guard false'
										? 'does not hold'
										: ''
							: ''}
						onchange={(f) => edit('guard text', (r) => ({ ...r, guard: f }))}
					/>
					{#if report?.guard && report.guard.length > 1}
						<ul class="text-sm">
							{#each report.guard as g, gi (gi)}
								<li>
									<span class={g.result === true ? 'text-teal' : 'text-brick'}
										>{g.result === true
											? '✓ holds'
											: g.result === false
												? '✕ does not hold'
												: '? unknown'}</span
									> <span class="mono">{g.text}</span>
								</li>
							{/each}
						</ul>
					{/if}
				</div>
			{/if}

			{#if opened && view.editor}
				<view.editor {rule} body={rule.body} {field} {report} {disabled} />
			{/if}

			{#if report && !rule.off}
				<p class="mt-3 border-t border-hairline pt-2 text-sm" data-testid="here">
					<span class="text-quiet">For the sample:</span>
					{report.outcome === 'wrote' || report.outcome === 'cleared'
						? ''
						: report.outcome === 'same value'
							? 'nothing to do, '
							: !writer || report.outcome === 'sends'
								? ''
								: 'nothing happened, '}{reason(w.shown.plan, report, sayValue)}.
					{#if w.shown.stale.has(rule.id)}
						<span class="text-ochre">▲ Shown as the rule last could be read.</span>
					{/if}
				</p>
			{/if}
		</div>
	</div>
	{#each found as f (f.id)}
		<div
			id="finding-{f.id}"
			class="flex items-baseline gap-3 border-t px-4 py-2 text-sm {f.severity === 'blocking'
				? 'border-brick/30 bg-brick-wash'
				: 'border-ochre/30 bg-ochre-wash'}"
		>
			<span
				class="font-semibold whitespace-nowrap {f.severity === 'blocking'
					? 'text-brick'
					: 'text-ochre'}">{f.severity === 'blocking' ? '● blocks' : '▲ advice'}</span
			>
			<span class="grow" title={f.certificate ? `Proof: ${f.certificate}` : undefined}
				>{f.message}{#if f.accepted}<span class="block text-quiet"
						>{f.accepted.by} accepted it: “{f.accepted.reason}”. What it rests on has changed since.</span
					>{/if}</span
			>
			{#if f.witness}<button class="textlink whitespace-nowrap" onclick={() => w.showFinding(f)}
					>Show it</button
				>{/if}
			{#if f.repair && !disabled}{@const repair = f.repair}<button
					class="textlink whitespace-nowrap"
					onclick={() => w.repair(repair)}>{repair.label}</button
				>{/if}
			{#if !disabled && w.mayAccept(f)}<button
					class="textlink whitespace-nowrap"
					onclick={() => (accepting = f)}>Accept …</button
				>{/if}
		</div>
	{/each}
	{#each accepted as f (f.id)}
		<p
			id="finding-{f.id}"
			tabindex="-1"
			class="border-t border-hairline px-4 py-2 text-sm text-quiet"
		>
			Accepted by {f.accepted!.by}: {f.message} “{f.accepted!.reason}”
			<a class="textlink" href="/check">Check</a>
		</p>
	{/each}
	<Accept
		finding={accepting}
		onclose={(done) => {
			if (done) followed = accepting?.id ?? null;
			accepting = null;
		}}
	/>
</article>

<style>
	.plain {
		border: 0;
		border-bottom: 1px solid transparent;
		background: none;
		padding: 1px 0;
		min-height: 24px;
		text-overflow: ellipsis;
	}
	.plain:hover:not(:disabled),
	.plain:focus {
		border-bottom-color: var(--color-field-line);
	}
	.off {
		background: var(--color-panel);
	}
	:global(.menu .item) {
		min-height: 28px;
		padding: 4px 12px;
		cursor: pointer;
	}
	:global(.menu .item[data-highlighted]) {
		background: var(--color-band-1);
	}
	:global(.menu .item[data-disabled]) {
		color: var(--color-quiet);
		cursor: default;
	}
</style>
