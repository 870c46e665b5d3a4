<script lang="ts">
	/** One rule as a sentence whose words are the controls, with the editor that fits its kind below it. */
	import { page } from '$app/state';
	import { DropdownMenu } from 'bits-ui';
	import Ellipsis from '@lucide/svelte/icons/ellipsis';
	import { BOOLEAN, TEXT, typeOfField } from '$core/feel/types';
	import { bare } from '$core/feel/tree';
	import type { Field } from '$core/model/model';
	import {
		ENTRY_POINTS,
		MOMENTS,
		ONCE_PER,
		type EntryPoint,
		type MomentName,
		type OncePer,
		type Output,
		type Rule
	} from '$core/model/rules';
	import { readFormula } from '$core/plan/plan';
	import { reason, type Format } from '$core/settle/reason';
	import { toJson, type JsonValue } from '$core/model/codec';
	import BandEditor from './BandEditor.svelte';
	import FormulaInput from './FormulaInput.svelte';
	import DecisionEditor from './DecisionEditor.svelte';
	import LookupEditor from './LookupEditor.svelte';
	import MatchEditor from './MatchEditor.svelte';
	import MessageEditor from './MessageEditor.svelte';
	import OptionGrid from './OptionGrid.svelte';
	import OutputWords from './OutputWords.svelte';
	import TemplateInput from './TemplateInput.svelte';
	import ValidateEditor from './ValidateEditor.svelte';
	import ValidateSentence from './ValidateSentence.svelte';
	import Word from './Word.svelte';
	import WordSet from './WordSet.svelte';
	import { ENTRY_LABEL, NONE_LABEL, ONCE_LABEL, formatValue } from './format';
	import { useWorkbench } from './workbench.svelte';

	let {
		rule,
		field,
		place,
		count,
		lead
	}: {
		rule: Rule;
		/** The field on whose sheet it is shown. */
		field: Field;
		/** Zero-based place in the claim order, and how many rules there are. */
		place: number;
		count: number;
		/** Open from the start; the others are folded to their sentence. */
		lead: boolean;
	} = $props();

	const w = useWorkbench();
	const disabled = $derived(!w.canEdit);
	const type = $derived(w.schema.type(rule.type).type);
	const status = $derived(w.changes.find((c) => c.id === rule.id)?.what);
	const found = $derived(w.found.filter((f) => f.rule === rule.id));
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
	const setOutput = (id: string, patch: Partial<Output>) =>
		edit('output', (r) => ({
			...r,
			outputs: r.outputs.map((o) => (o.id === id ? { ...o, ...patch } : o))
		}));

	/** What the person chose; else what the sheet begins with. */
	let chosen = $state<boolean | null>(null);
	const opened = $derived(chosen ?? (lead || page.url.hash === `#rule-${rule.id}`));

	// ---- the words --------------------------------------------------------------------------

	const and = (xs: string[]) =>
		xs.length > 1 ? `${xs.slice(0, -1).join(', ')} and ${xs.at(-1)}` : (xs[0] ?? '');
	const label = (id: string) => w.schema.field(rule.type, id)?.label ?? id;
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
	const fieldChoices = $derived(
		type.fields.filter((f) => !f.retired).map((f) => ({ value: f.id, label: f.label }))
	);
	const watchChoices = $derived(
		setOffAt.fields.filter((f) => !f.retired).map((f) => ({ value: f.id, label: f.label }))
	);
	const links = $derived(type.fields.filter((f) => f.type === 'link' && !f.retired));
	/** Records of other types that point to this one, for messages to each of them. */
	const pointing = $derived(
		w.model.types.flatMap((t) =>
			t.fields
				.filter((f) => f.type === 'link' && f.target === rule.type)
				.map((f) => ({
					value: `${t.id}.${f.id}`,
					label: `each of its ${f.inverse ?? t.plural.toLowerCase()}`
				}))
		)
	);
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
	const bandInput = $derived.by(() => {
		if (rule.body.kind !== 'bands' || !('expr' in rule.body.input)) return null;
		const e = rule.body.input.expr;
		return e.k === 'field' && e.image === 'settled' && e.type === rule.type ? e.field : null;
	});
	let byFormula = $state(false);
	const bandDates = $derived(
		rule.body.kind === 'bands' &&
			readFormula(rule.body.input, { schema: w.schema, type: rule.type }).compiled?.ty.t === 'date'
	);
	const CHECKED: Record<string, string> = {
		holds: '✓ holds',
		said: '✕ does not hold',
		'cannot tell': '? cannot tell'
	};
	const guardShown = $derived(rule.guard !== null);
	const SEPARATORS = [
		{ value: '', label: 'space' },
		{ value: ',', label: 'comma' },
		{ value: ';', label: 'semicolon' },
		{ value: '-', label: 'hyphen' },
		{ value: '/', label: 'slash' },
		{ value: '@', label: '@ sign' }
	];
	const setBody = (what: string, change: (b: Rule['body']) => Rule['body']) =>
		edit(what, (r) => ({ ...r, body: change(r.body) }));

	// ---- several outputs --------------------------------------------------------------------

	const severalOutputs = $derived(
		rule.kind !== 'validate' &&
			rule.body.kind !== 'match' &&
			rule.body.kind !== 'message' &&
			!(rule.body.kind === 'split' && rule.body.at !== 'each') &&
			rule.body.kind !== 'bands'
	);
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
	function removeOutput(at: number) {
		const without = <T,>(xs: T[]) => xs.filter((_, i) => i !== at);
		edit('output', (r) => {
			const { body } = r;
			const next: Rule['body'] =
				body.kind === 'formula'
					? { ...body, formulas: without(body.formulas) }
					: body.kind === 'compose'
						? { ...body, texts: without(body.texts) }
						: body.kind === 'lookup'
							? { ...body, columns: without(body.columns) }
							: body.kind === 'table'
								? { ...body, rows: body.rows.map((x) => ({ ...x, then: without(x.then) })) }
								: body.kind === 'options'
									? {
											...body,
											rows: Object.fromEntries(
												Object.entries(body.rows).map(([k, v]) => [k, without(v)])
											)
										}
									: body.kind === 'split'
										? { ...body, alone: 0 }
										: body;
			return { ...r, outputs: without(r.outputs), body: next };
		});
	}
	type Options = Rule['body'] & { kind: 'options' };
	/** The part of an option map that one output has, and the map with that part changed. */
	const ofOutput = (body: Options, i: number): Options => ({
		...body,
		rows: Object.fromEntries(
			Object.entries(body.rows)
				.filter(([, v]) => i < v.length)
				.map(([k, v]) => [k, [v[i]]])
		),
		blank: body.blank && 'give' in body.blank ? { give: [body.blank.give[i] ?? null] } : body.blank
	});
	function withOutput(body: Options, part: Options, i: number): Options {
		const width = rule.outputs.length;
		const put = (had: JsonValue[] | undefined, v: JsonValue) =>
			Array.from({ length: width }, (_, k) => (k === i ? v : (had?.[k] ?? null)));
		const keys =
			width === 1
				? Object.keys(part.rows)
				: [...new Set([...Object.keys(body.rows), ...Object.keys(part.rows)])];
		const had = body.blank && 'give' in body.blank ? body.blank.give : undefined;
		return {
			...part,
			rows: Object.fromEntries(keys.map((k) => [k, put(body.rows[k], part.rows[k]?.[0] ?? null)])),
			blank:
				part.blank && 'give' in part.blank
					? { give: put(had, part.blank.give[0] ?? null) }
					: part.blank
		};
	}

	const sampleValue = (id: string | null) => {
		if (!id || !w.result) return null;
		const i = w.schema.type(rule.type).at.get(id);
		return i === undefined ? null : toJson(w.result.values[i]);
	};
	const sayValue: Format = (ref, v) => {
		const f = w.schema.field(ref.type, ref.field);
		return v === null ? 'blank' : f ? formatValue(f, toJson(v), w.schema, w.titles.all) : String(v);
	};
	/** What the rule's formula gives for the sample, beside the formula. */
	const margin = (output: Output) => {
		const r = w.result?.reports.find((x) => x.claim === `${rule.id}:${output.id}`);
		const f = w.schema.field(rule.type, output.field);
		return r && f && r.value !== undefined && r.value !== null
			? formatValue(f, toJson(r.value), w.schema, w.titles.all)
			: '';
	};
</script>

<article
	ondragover={(e) => !disabled && e.preventDefault()}
	ondrop={(e) => {
		e.preventDefault();
		w.place(rule.type, field.id, e.dataTransfer?.getData('text/plain') ?? '', place);
	}}
	class="mb-3 border border-line bg-sheet"
	class:off={rule.off}
	id="rule-{rule.id}"
	aria-label={rule.name}
>
	<div class="px-4 pt-3 pb-3">
		<header class="flex items-start gap-3">
			{#if disabled || count < 2}
				<span class="mono pt-1 font-semibold text-brass-ink" aria-hidden="true">{place + 1}</span>
			{:else}
				<span
					class="mono min-h-6 min-w-6 cursor-grab pt-1 font-semibold text-brass-ink"
					role="button"
					tabindex="0"
					draggable="true"
					title="Drag to another place in the claim order, or move with the arrow keys"
					aria-label="Place {place + 1} of {count} in the claim order: {rule.name}"
					ondragstart={(e) => e.dataTransfer?.setData('text/plain', rule.id)}
					onkeydown={(e) => {
						if (e.key !== 'ArrowUp' && e.key !== 'ArrowDown') return;
						e.preventDefault();
						w.place(rule.type, field.id, rule.id, place + (e.key === 'ArrowUp' ? -1 : 1));
					}}>{place + 1}</span
				>
			{/if}
			<div class="min-w-0 grow">
				<input
					class="plain w-full font-semibold"
					aria-label="Name of the rule"
					value={rule.name}
					{disabled}
					maxlength="200"
					oninput={(e) => {
						const name = e.currentTarget.value;
						edit('name', (r) => ({ ...r, name }));
					}}
				/>
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
								onSelect={() => edit('switch', (r) => ({ ...r, off: !r.off }))}
								>{rule.off ? 'Switch on' : 'Switch off in the draft'}</DropdownMenu.Item
							>
							{#if rule.kind !== 'validate' && rule.body.kind !== 'message' && !rule.each}
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
							{#if !rule.outputs.some((o) => o.hold === 'locked') && rule.kind !== 'validate'}<DropdownMenu.Item
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
							{#if rule.kind !== 'validate'}<DropdownMenu.Item
									class="item"
									onSelect={() =>
										edit('failure', (r) => ({ ...r, refuses: r.refuses ? undefined : true }))}
									>{rule.refuses
										? 'A failure leaves the field as it was'
										: 'A failure refuses the change'}</DropdownMenu.Item
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
			{#if rule.refuses}<p class="text-sm text-quiet">
					Should it fail, the whole change is refused.
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
				{#if rule.body.kind === 'message'}
					{@const body = rule.body}
					a message goes to
					<Word
						label="For whom it is"
						tone="writes"
						value={body.each ? `${body.each.type}.${body.each.field}` : ''}
						{disabled}
						choices={[{ value: '', label: 'one address' }, ...pointing]}
						onpick={(v) => {
							const [t, f] = v.split('.');
							setBody('for whom', (b) =>
								b.kind === 'message'
									? { ...b, each: v ? { type: t, field: f } : null, filter: null }
									: b
							);
						}}
					/>,
					<Word
						label="How often at most"
						value={body.once}
						{disabled}
						choices={ONCE_PER.map((o) => ({ value: o, label: ONCE_LABEL[o] }))}
						onpick={(v) =>
							setBody('how often', (b) =>
								b.kind === 'message' ? { ...b, once: v as OncePer } : b
							)}
					/>.
				{/if}
				{#each rule.outputs as o, i (o.id)}
					{#if i};
					{/if}
					{#if rule.kind === 'validate'}
						<ValidateSentence
							{rule}
							output={o}
							fields={fieldChoices}
							{disabled}
							onfield={(v) => setOutput(o.id, { field: v })}
						/>
					{:else}
						<OutputWords
							{rule}
							output={o}
							{i}
							{disabled}
							{bandInput}
							bind:byFormula
							onremove={() => removeOutput(i)}
						/>
					{/if}
				{/each}
				{#if rule.body.kind === 'lookup'}
					{@const body = rule.body}
					When several rows match,
					<Word
						label="What several matching rows give"
						value={body.several}
						{disabled}
						choices={[
							{
								value: 'no result',
								label: 'there is no result',
								help: 'and the explanation says which rows'
							},
							{ value: 'first', label: 'the first counts' }
						]}
						onpick={(v) =>
							setBody('several', (b) =>
								b.kind === 'lookup' ? { ...b, several: v as typeof body.several } : b
							)}
					/>.
				{:else if rule.body.kind === 'match'}
					{@const body = rule.body}
					When several match,
					<Word
						label="What several matches give"
						value={body.several}
						{disabled}
						choices={[
							{
								value: 'no result',
								label: 'there is no result',
								help: 'and the explanation says which they are'
							},
							{ value: 'leave', label: 'it leaves the field as it is' },
							{ value: 'clear', label: 'it clears the field' },
							{ value: 'first', label: 'the one with the lowest number counts' }
						]}
						onpick={(v) =>
							setBody('several', (b) =>
								b.kind === 'match' ? { ...b, several: v as typeof body.several } : b
							)}
					/>.
				{:else if rule.body.kind === 'compose'}
					{@const body = rule.body}
					Blank parts
					<Word
						label="What becomes of blank parts"
						value={typeof body.blanks === 'object' ? 'write' : body.blanks}
						text={typeof body.blanks === 'object'
							? `are written “${body.blanks.write}”`
							: undefined}
						{disabled}
						choices={[
							{
								value: 'leave out',
								label: 'are left out',
								help: 'with the signs and spaces around them'
							},
							{ value: 'no result', label: 'leave no text at all' },
							{ value: 'write', label: 'are written “–”' }
						]}
						onpick={(v) =>
							setBody('blanks', (b) =>
								b.kind === 'compose'
									? { ...b, blanks: v === 'write' ? { write: '–' } : (v as 'leave out') }
									: b
							)}
					/>.
				{:else if rule.body.kind === 'split'}
					{@const body = rule.body}
					It is parted at
					<Word
						label="Where the text is parted"
						value={body.at}
						{disabled}
						choices={[
							{ value: 'first', label: 'the first' },
							{ value: 'last', label: 'the last' },
							{ value: 'each', label: 'each' }
						]}
						onpick={(v) =>
							setBody('parted at', (b) =>
								b.kind === 'split' ? { ...b, at: v as typeof body.at } : b
							)}
					/>
					<Word
						label="What parts the text"
						value={body.separator.trim()}
						{disabled}
						choices={SEPARATORS}
						onpick={(v) =>
							setBody('separator', (b) => (b.kind === 'split' ? { ...b, separator: v } : b))}
					/>; a text of one part goes to
					<Word
						label="Field for a text of one part"
						value={String(body.alone)}
						{disabled}
						choices={rule.outputs.map((o, k) => ({ value: String(k), label: label(o.field) }))}
						onpick={(v) =>
							setBody('one part', (b) => (b.kind === 'split' ? { ...b, alone: Number(v) } : b))}
					/>.
				{/if}
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

			{#if !opened}
				<!-- folded: the sentence says it all -->
			{:else if rule.body.kind === 'bands'}
				{@const body = rule.body}
				{#if byFormula || !bandInput}
					<FormulaInput
						label="What the bands part"
						formula={body.input}
						schema={w.schema}
						type={rule.type}
						{disabled}
						onchange={(f) =>
							edit('input', (r) =>
								r.body.kind === 'bands' ? { ...r, body: { ...r.body, input: f } } : r
							)}
					/>
				{/if}
				<BandEditor
					{body}
					schema={w.schema}
					inputType={rule.type}
					inputField={byFormula ? null : bandInput}
					dates={bandDates}
					inputLabel={bandInput ? label(bandInput) : 'value'}
					target={w.schema.field(rule.type, rule.outputs[0]?.field ?? '') ?? field}
					sample={sampleValue(bandInput)}
					none={NONE_LABEL[rule.outputs[0]?.none ?? 'next']}
					{disabled}
					onchange={(l, b) => edit(l, (r) => ({ ...r, body: b }))}
				/>
			{:else if rule.body.kind === 'options'}
				{@const body = rule.body}
				{#each rule.outputs as o, i (o.id)}
					{#if rule.outputs.length > 1}<p class="mt-2 text-xs text-quiet">{label(o.field)}</p>{/if}
					<OptionGrid
						body={ofOutput(body, i)}
						schema={w.schema}
						type={rule.type}
						target={w.schema.field(rule.type, o.field) ?? field}
						sample={sampleValue(body.input)}
						none={NONE_LABEL[o.none]}
						{disabled}
						onchange={(l, b) => edit(l, (r) => ({ ...r, body: withOutput(body, b, i) }))}
					/>
				{/each}
			{:else if rule.body.kind === 'table'}
				<DecisionEditor {rule} body={rule.body} {report} {disabled} />
			{:else if rule.body.kind === 'match'}
				<MatchEditor {rule} body={rule.body} {report} {disabled} />
			{:else if rule.body.kind === 'message'}
				<MessageEditor {rule} body={rule.body} {disabled} />
			{:else if rule.body.kind === 'lookup'}
				<LookupEditor {rule} body={rule.body} {report} {disabled} />
			{:else if rule.body.kind === 'compose'}
				{@const body = rule.body}
				{#each rule.outputs as o, i (o.id)}
					<p class="mt-1 text-xs text-quiet">
						{label(o.field)}; a field or formula in braces shows its value
					</p>
					<TemplateInput
						label="Text for {label(o.field)}"
						placeholder={'{Country} – {Postal code}'}
						template={body.texts[i] ?? []}
						schema={w.schema}
						type={rule.type}
						margin={margin(o)}
						{disabled}
						onchange={(t) =>
							setBody('text', (b) =>
								b.kind === 'compose'
									? {
											...b,
											texts: rule.outputs.map((_, k) => (k === i ? bare(t) : (b.texts[k] ?? [])))
										}
									: b
							)}
					/>
				{/each}
			{:else if rule.body.kind === 'split'}
				<FormulaInput
					label="Text that is parted"
					formula={rule.body.input}
					schema={w.schema}
					type={rule.type}
					expected={TEXT}
					margin={rule.outputs.map((o) => margin(o) || '–').join(' · ')}
					{disabled}
					onchange={(f) => setBody('text', (b) => (b.kind === 'split' ? { ...b, input: f } : b))}
				/>
			{:else if rule.body.kind !== 'formula'}
				<ValidateEditor {rule} {disabled} margin={CHECKED[report?.outcome ?? ''] ?? ''} />
			{:else}
				{@const body = rule.body}
				{#each rule.outputs as o, i (o.id)}
					{@const f = w.schema.field(rule.type, o.field)}
					{#if rule.outputs.length > 1}<p class="mt-1 text-xs text-quiet">
							{i + 1} · {label(o.field)}
						</p>{/if}
					<FormulaInput
						label="Formula for {label(o.field)}"
						formula={body.formulas[i] ?? { text: '' }}
						schema={w.schema}
						type={rule.type}
						expected={f ? typeOfField(f) : undefined}
						margin={margin(o)}
						{disabled}
						onchange={(x) =>
							edit('formula', (r) =>
								r.body.kind === 'formula'
									? {
											...r,
											body: {
												...r.body,
												formulas: r.outputs.map((_, k) =>
													k === i
														? bare(x)
														: ((r.body.kind === 'formula' ? r.body.formulas[k] : undefined) ?? {
																text: ''
															})
												)
											}
										}
									: r
							)}
					/>
				{/each}
			{/if}

			{#if report && !rule.off}
				<p class="mt-3 border-t border-hairline pt-2 text-sm" data-testid="here">
					<span class="text-quiet">For the sample:</span>
					{report.outcome === 'wrote' || report.outcome === 'cleared'
						? ''
						: report.outcome === 'same value'
							? 'nothing to do, '
							: rule.kind === 'validate' || report.outcome === 'sends'
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
				>{f.message}</span
			>
			{#if f.witness}<button class="textlink whitespace-nowrap" onclick={() => w.showFinding(f)}
					>Show it</button
				>{/if}
			{#if f.repair && !disabled}{@const repair = f.repair}<button
					class="textlink whitespace-nowrap"
					onclick={() => w.repair(repair)}>{repair.label}</button
				>{/if}
		</div>
	{/each}
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
