<script lang="ts">
	import type { Between, Field, Finding, Format, Rule } from '$core';
	import { copiesTo, isAbout, namesakes, reason, toJson, writerOf } from '$core';
	/** One rule as a sentence whose words are the controls, with the editor that fits its kind below it. */
	import { onMount, tick, untrack } from 'svelte';
	import type { HTMLAttributes } from 'svelte/elements';
	import { page } from '$app/state';
	import { DropdownMenu } from 'bits-ui';
	import Ellipsis from '@lucide/svelte/icons/ellipsis';
	import { goto } from '$app/navigation';
	import Here from '../shell/Here.svelte';
	import SearchPick, { type Found } from '../inputs/SearchPick.svelte';
	import Accept from './Accept.svelte';
	import AsText from './AsText.svelte';
	import Narrow from './Narrow.svelte';
	import OrderCounts from './OrderCounts.svelte';
	import Sentence from './Sentence.svelte';
	import Points from '../trials/Points.svelte';
	import Ticks from '../trials/Ticks.svelte';
	import { formatValue } from '../words/format';
	import { editorOf, fetchEditors } from '../kinds';
	import { copyLink } from '../work/copy-link';
	import Remarks from '../work/Remarks.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		rule,
		field,
		place,
		count,
		lead,
		pairs,
		pairsOld,
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
		/** What is known of it and each rule above it. */
		pairs: readonly Between[];
		/** It is looked at again. */
		pairsOld: boolean;
		/** Of the handle by which it is moved; null where it cannot be. */
		handle: HTMLAttributes<HTMLSpanElement> | null;
	} = $props();

	const w = useWorkbench();
	const disabled = $derived(!w.canEdit);
	const type = $derived(w.schema.type(rule.type).type);
	const status = $derived(w.changes.find((c) => c.id === rule.id)?.what);
	const found = $derived(w.found.filter((f) => isAbout(f, rule.id)));
	const accepted = $derived(w.accepted.filter((f) => isAbout(f, rule.id)));
	/** What of it the trials try; undefined until it was looked at. */
	const covered = $derived(w.covering.rules.get(rule.id));
	onMount(() => w.covering.want());
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
	const edit = (label: string, change: (r: Rule) => Rule) => w.editRule(label, rule.id, change);
	/** What the person chose; else what the sheet begins with. */
	let chosen = $state<boolean | null>(null);
	const opened = $derived(chosen ?? (lead || page.url.hash === `#rule-${rule.id}`));

	let narrowing = $state(false);
	/** It is being asked where to copy it. */
	/** Of a rule that a linked record sets off: the sheet at which a change of that record is tried. */
	const setOff = $derived.by(() => {
		const link = rule.each && w.schema.field(rule.type, rule.each);
		if (!link || !link.target || w.sample?.type !== rule.type) return null;
		const at = w.schema.type(rule.type).at.get(link.id);
		const id = at === undefined ? null : w.result?.values[at];
		if (typeof id !== 'string') return null;
		const target = w.schema.type(link.target).type;
		return {
			label: target.label,
			title: w.titles.all[`${target.id}.${id}`] ?? `No. ${id}`,
			href: `/write/${target.id}/${rule.watch?.[0] ?? target.title}?sample=${id}`
		};
	});
	/** What of it is tried stands below it, point by point. */
	let showsTried = $state(false);
	/** It is read in the formula language as well. */
	let asText = $state(false);
	let copying = $state(false);
	const places = (): Found[] =>
		[...w.model.types]
			.sort((a, b) => Number(b.id === rule.type) - Number(a.id === rule.type))
			.filter((t) => copiesTo(rule, t.id))
			.flatMap((t) =>
				t.fields
					.filter((f) => !f.retired && !(t.id === rule.type && f.id === field.id))
					.map((f) => ({ id: `${t.id}.${f.id}`, label: f.label, group: t.label }))
			);
	function copyTo(place: string) {
		copying = false;
		const [to, at] = place.split('.');
		const as = w.copyRule(rule.id, { type: to, field: at });
		void goto(`/write/${to}/${at}#rule-${as}`);
	}
	/** A condition was just asked for. */
	let asksCondition = $state(
		untrack(() => w.begun?.rule === rule.id && w.begun.first === 'condition')
	);
	// whoever is begun is told once; where no list opened by itself, the first thing to say has the focus
	onMount(() => {
		if (w.begun?.rule !== rule.id) return;
		w.begun = null;
		setTimeout(async () => {
			await fetchEditors([kind]);
			await tick();
			const card = document.getElementById(`rule-${rule.id}`);
			if (!card || document.querySelector('[data-state=open] [data-command-input], .searchpick'))
				return;
			const first = card.querySelector<HTMLElement>(
				'.sentence .unsaid, .sentence input, .sentence textarea, .sentence .box, textarea, .body .box'
			);
			first?.focus();
		}, 60);
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
	/** Told apart from the rule, which is another at each edit: only another kind is edited with something else. */
	const kind = $derived(rule.body.kind);
	const writer = $derived(writerOf(rule.body));

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
	{#if pairs.length}<OrderCounts {rule} {field} {pairs} old={pairsOld} />{/if}
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
			<Here part="rules.{rule.id}" />
			{#if status}<span class="border border-line px-1.5 text-xs whitespace-nowrap text-quiet"
					>{status === 'new' ? 'new, not live yet' : 'changed, not live yet'}</span
				>{/if}
			{#if !disabled && opened}<button
					class="textlink text-sm whitespace-nowrap"
					aria-expanded={narrowing}
					aria-label="{narrowing ? 'Hide what narrows' : 'Narrow'} {rule.name}"
					onclick={() => (narrowing = !narrowing)}>{narrowing ? 'done' : 'narrow it'}</button
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
								onSelect={() => void copyLink(`/write/${rule.type}/${field.id}#rule-${rule.id}`)}
								>Copy the link</DropdownMenu.Item
							>
							<DropdownMenu.Item class="item" onSelect={() => (asText = !asText)}
								>{asText ? 'No longer as text' : 'Show as text'}</DropdownMenu.Item
							>
							<DropdownMenu.Item
								class="item"
								onSelect={() => void goto(`/versions/${encodeURIComponent(rule.id)}`)}
								>Versions and what differs</DropdownMenu.Item
							>
							{#if rule.outputs.length}<DropdownMenu.Item
									class="item"
									onSelect={() => (copying = true)}>Copy to another field …</DropdownMenu.Item
								>{/if}
							<DropdownMenu.Item
								class="item"
								onSelect={() => edit('switch', (r) => ({ ...r, off: !r.off }))}
								>{rule.off ? 'Switch on' : 'Switch off in the draft'}</DropdownMenu.Item
							>
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
			{#if copying}<p class="text-sm">
					Copy it to
					<SearchPick
						text="which field?"
						label="Field to copy {rule.name} to"
						choices={places}
						look="word"
						open
						onpick={copyTo}
					/>
					<button class="textlink pl-2 text-quiet" onclick={() => (copying = false)}>not now</button
					>
				</p>{/if}
			{#if rule.off}<p class="text-ochre">
					▲ Switched off: it is kept in the draft and does nothing.
				</p>{/if}
			<Sentence {rule} {report} {opened} begun={asksCondition} {disabled} />

			{#if asText}<AsText {rule} />{/if}
			{#if opened}
				{#await editorOf(kind) then Editor}
					<Editor {rule} body={rule.body} {field} {report} {disabled} />
				{:catch}
					<p class="mt-2 text-brick" role="alert">
						● What this rule is edited with could not be fetched. What you did is kept.
						<button class="textlink pl-2" onclick={() => location.reload()}
							>Load the page again</button
						>
					</p>
				{/await}
			{/if}

			{#if narrowing && opened}
				<Narrow
					{rule}
					{disabled}
					oncondition={() => {
						asksCondition = true;
						edit('guard', (r) => ({ ...r, guard: { text: '' } }));
					}}
				/>
			{/if}

			{#if setOff && opened}
				<p class="mt-2 text-sm">
					It is set off by a change of the {setOff.label.toLowerCase()}:
					<a class="textlink" href={setOff.href}>try it at {setOff.title}</a>, whose sample shows
					what each
					{type.label.toLowerCase()} gets.
				</p>
			{/if}

			{#if (report || covered) && !rule.off}
				<div class="mt-3 flex items-start gap-4 border-t border-hairline pt-2 text-sm">
					{#if report}<p class="grow" data-testid="here">
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
						</p>{:else}<span class="grow"></span>{/if}
					{#if covered}<button
							class="flex min-h-6 items-center gap-1 text-xs whitespace-nowrap text-quiet hover:underline"
							aria-expanded={showsTried}
							aria-label="{covered.tried.length} of {covered.points} tried of {rule.name}"
							title="What of this rule the trials try{w.covering.old
								? ', before the last edit'
								: ''}"
							onclick={() => (showsTried = !showsTried)}
							data-testid="tried-{rule.id}"
							><Ticks most={8} tried={covered.tried.length} of={covered.points} label="" />{covered
								.tried.length}/{covered.points} tried</button
						>{/if}
				</div>
				{#if covered && showsTried}
					<div class="mt-1 bg-panel px-3 py-2">
						<Points {rule} />
						{#if covered.tried.length < covered.points}<p class="mt-1 text-sm">
								<a class="textlink" href="/try?view=untried&rule={encodeURIComponent(rule.id)}"
									>Trials for what is not tried …</a
								>
							</p>{/if}
					</div>
				{/if}
			{/if}
		</div>
	</div>
	<Remarks
		class="px-4 pb-2"
		at={{ kind: 'rule', key: rule.id }}
		title={rule.name}
		offered={opened}
	/>
	{#each found.filter((f) => f.is === 'unfinished') as f (f.id)}
		<p id="finding-{f.id}" class="border-t border-hairline bg-panel px-4 py-2 text-sm">
			<span class="font-semibold text-quiet">◌</span>
			{f.message}
		</p>
	{/each}
	{#each found.filter((f) => f.is !== 'unfinished') as f (f.id)}
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
