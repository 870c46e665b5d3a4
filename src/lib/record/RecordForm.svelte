<script lang="ts">
	/**
	 * A record's form, full or short. Every keystroke settles afresh what is stored and touched, by the
	 * release in force; saving settles it again on the server, which decides the same.
	 */
	import { HOLD_VERB } from '$core';
	import { beforeNavigate, goto, invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import { Dialog } from 'bits-ui';
	import { untrack } from 'svelte';
	import type { JsonValue } from '$core';
	import type { RecordLine } from '$server/db/line';
	import type { SetBy } from '$server/db/set-by';
	import { sameJson } from '../work/touch';
	import ValueInput from '../inputs/ValueInput.svelte';
	import { formatValue } from '../words/format';
	import { Entry } from './entry.svelte';
	import WhatIf from './WhatIf.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		type: typeId,
		id,
		version,
		values,
		setBy,
		links,
		short,
		inLine,
		pilot = false,
		line = []
	}: {
		type: string;
		/** Null for a new record. */
		id: string | null;
		version: number;
		values: Record<string, JsonValue>;
		setBy: Record<string, SetBy>;
		links: Record<string, string>;
		short: boolean;
		inLine: boolean;
		/** It belongs to the pilot that is on. */
		pilot?: boolean;
		/** Which of its values are not as the rules would have them. */
		line?: readonly RecordLine[];
	} = $props();

	const w = useWorkbench();
	/** Values are changed to see what would come of it, and nothing is stored. */
	let trying = $state(false);
	const editable = $derived(w.canEdit || trying);
	const entry = new Entry(w, () => ({
		type: typeId,
		id,
		version,
		values,
		setBy,
		short,
		inLine,
		pilot
	}));
	// what a new record's form was told when it was saved is told by that of the record it became
	const { made } = page.state;
	if (made && made.type === untrack(() => typeId) && made.id === untrack(() => id)) {
		entry.saved = made.saved;
		entry.failed = made.failed;
	}
	const type = $derived(w.schema.type(typeId).type);
	const allLinks = w.titles.all;
	untrack(() => w.titles.learn(links));
	$effect.pre(() => w.titles.learn(links));
	const f = (fid: string) => w.schema.field(typeId, fid)!;
	const say = (fid: string, v: JsonValue) => formatValue(f(fid), v, w.schema, allLinks);
	const groups = $derived(
		short
			? [{ name: 'Short form', fields: type.short.map(f).filter((x) => x && !x.retired) }]
			: [...new Set(type.fields.map((x) => x.group))].map((name) => ({
					name,
					fields: type.fields.filter((x) => x.group === name && !x.retired)
				}))
	);

	/** Where somebody was about to go with something typed and not saved. */
	let leaving = $state<{ to: string } | null>(null);
	let sure = false;
	beforeNavigate((nav) => {
		if (!entry.unsaved || sure || trying) return;
		nav.cancel();
		// reloading or closing the page: the browser asks itself
		if (nav.willUnload || !nav.to) return;
		leaving = { to: nav.to.url.pathname + nav.to.url.search + nav.to.url.hash };
	});
	async function leave(first?: 'save') {
		const to = leaving!.to;
		if (first) {
			const { to: stored, at } = await entry.save();
			leaving = null;
			if (at) document.getElementById(`f-${at}`)?.focus();
			if (stored === null) return;
		}
		sure = true;
		leaving = null;
		await goto(to);
		sure = false;
	}

	async function save(e?: SubmitEvent) {
		e?.preventDefault();
		if (trying) return;
		const { to, at } = await entry.save();
		if (at) document.getElementById(`f-${at}`)?.focus();
		if (to === null) return;
		const { saved, failed } = entry;
		if (id === null)
			await goto(`/records/${typeId}/${to}`, {
				state: { made: { type: typeId, id: to, saved, failed: $state.snapshot(failed) } }
			});
		else await invalidateAll();
	}
	/** Loads the page again; what was typed stays, upon the record as it is now. */
	const again = () => entry.keeping(invalidateAll);
</script>

<Dialog.Root open={leaving !== null} onOpenChange={(now) => !now && (leaving = null)}>
	<Dialog.Portal>
		<Dialog.Overlay class="fixed inset-0 z-40 bg-ink/30" />
		<Dialog.Content
			class="fixed top-1/2 left-1/2 z-50 w-full max-w-lg -translate-x-1/2 -translate-y-1/2 border border-ink bg-sheet p-6"
			data-testid="leaving"
		>
			<Dialog.Title class="text-lg font-semibold">Not saved yet</Dialog.Title>
			<Dialog.Description class="mt-1 text-quiet"
				>What you typed in {entry.sent.length === 1
					? f(entry.sent[0][0]).label
					: `${entry.sent.length} fields`} is stored nowhere.</Dialog.Description
			>
			<div class="mt-4 flex flex-wrap gap-3">
				<button class="button main" onclick={() => leave('save')}>Save, then leave</button>
				<Dialog.Close class="button">Stay</Dialog.Close>
				<button class="button" onclick={() => leave()}>Leave without saving</button>
			</div>
		</Dialog.Content>
	</Dialog.Portal>
</Dialog.Root>

<form onsubmit={save} novalidate>
	{#if entry.piloted}<p class="mb-2 text-sm" role="status">
			<span class="text-brass-ink">◇ In the pilot:</span> release {entry.release} decides this
			{type.label.toLowerCase()}, not release {w.force.number}.
			<a class="textlink" href="/pilot">The pilot</a>
		</p>{/if}
	{#each groups as g (g.name)}
		<fieldset class="mb-3 border border-line bg-sheet">
			<legend class="sr-only">{g.name}</legend>
			<div class="flex items-center gap-3 border-b border-hairline px-4 py-1">
				<span class="text-xs font-semibold text-quiet">{g.name}</span><span
					class="ticks grow"
					aria-hidden="true"
				></span>
			</div>
			<div class="fields px-4 py-2">
				{#each g.fields.filter((f) => !entry.result?.hidden.has(f.id)) as x (x.id)}
					{@const locked = entry.result?.readOnly.has(x.id) ?? false}
					{@const reasonText = entry.why(x.id)}
					{@const fault = entry.faults.find((p) => p.field === x.id)}
					{@const said = entry.live
						? (entry.result?.messages ?? []).filter((m) => m.field === x.id)
						: []}
					{@const changed = !sameJson(entry.shown(x.id), entry.stored(x.id))}
					<div class="field" data-field={x.id}>
						<label class="pt-1 text-sm" for="f-{x.id}"
							>{x.label}{#if entry.result?.required.has(x.id)}<span
									class="pl-1 text-brick"
									title="required">*</span
								>{/if}{#if x.unit || (x.type === 'money' && x.currency)}<span
									class="pl-1 text-quiet">{x.unit ?? x.currency}</span
								>{/if}</label
						>
						<div class="min-w-0">
							<!-- until the page has come to life nobody knows what is locked, and nothing typed would be kept -->
							{#if locked || !editable || !w.here}
								<output
									id="f-{x.id}"
									class="mono box inline-block min-w-24 border-hairline bg-panel {locked
										? 'text-brass-ink'
										: ''}"
									aria-label={x.label}>{say(x.id, entry.shown(x.id)) || '—'}</output
								>
								{#if locked}<span class="ml-1 text-xs text-quiet"
										>◆ {HOLD_VERB.locked} its rule</span
									>{/if}
							{:else}
								<ValueInput
									field={x}
									schema={w.schema}
									id="f-{x.id}"
									value={entry.shown(x.id)}
									links={allLinks}
									only={entry.result?.limited.get(x.id)}
									touched={entry.isTouched(x.id)}
									describedby="w-{x.id}"
									onchange={(v, t) => entry.touch(x.id, v, t)}
									onfault={(m) => entry.cannotRead(x.id, m)}
								/>
							{/if}
							{#each said.filter((m) => m.text !== fault?.message) as m, n (n)}
								<p class="text-xs {m.blocking ? 'text-brick' : 'text-ochre'}">
									{m.blocking ? '●' : '▲'}
									{m.text}
								</p>
							{/each}
							{#each entry.limits(x.id) as line, n (n)}<p
									class="text-xs text-quiet"
									data-testid="limit-{x.id}"
								>
									{line}
								</p>{/each}
							{#if entry.nothing(x.id)}<p class="text-xs text-quiet" data-testid="nothing-{x.id}">
									{entry.nothing(x.id)}
								</p>{/if}
							{#if fault}<p class="text-xs text-brick" role="alert">● {fault.message}</p>{/if}
							{#each line.filter((l) => l.field === x.id) as l (l.field)}
								<p class="text-xs" data-testid="line-{x.id}">
									{#if l.byHand}<span class="text-quiet">set by hand:</span> its rule would give
										<span class="mono">{say(x.id, l.result) || 'blank'}</span>
									{:else}<span class="text-ochre">▲ out of line:</span>
										{#if l.failed !== null}its rule fails: {l.failed}{:else}its rule gives <span
												class="mono">{say(x.id, l.result) || 'blank'}</span
											>{/if}{/if}{#if l.left}; left so by {l.left.by ?? 'somebody'}: {l.left
											.why}{/if}
								</p>
							{/each}
							<p id="w-{x.id}" class="text-xs text-quiet">
								{#if entry.live && changed && id !== null}<span class="mono"
										>was {say(x.id, entry.stored(x.id)) || 'blank'}</span
									>{reasonText ? ', ' : ''}{/if}{reasonText ?? ''}
								{#if reasonText && w.canEdit && (setBy[x.id]?.by === 'rule' || locked || changed)}
									<a
										class="textlink min-h-0"
										href="/write/{typeId}/{x.id}{id ? `?sample=${id}` : ''}">rule</a
									>
								{/if}
							</p>
						</div>
					</div>
				{/each}
			</div>
		</fieldset>
	{/each}
	{#if trying}<WhatIf {entry} type={typeId} />{/if}
	{#each entry.failed as x, n (n)}
		<p class="mb-2 bg-brick-wash px-4 py-2 text-sm" role="alert">
			<span class="text-brick">● “{x.rule}” failed</span> and left {w.field(typeId, x.field)
				?.label ?? x.field} as it was: {x.message}
		</p>
	{/each}
	{#if entry.otherwise}
		{@const otherwise = entry.otherwise}
		<div class="mb-3 border border-ochre bg-sheet px-4 py-2" role="alert">
			<p>
				▲ {#if otherwise.release === w.force.number}Rows of a table were edited since this form was
					opened. By them it comes out otherwise:{:else}Release {otherwise.release} is in force now; this
					form ran release {w.force.number}. It decides otherwise:{/if}
			</p>
			<ul class="text-sm">
				{#each otherwise.differences as d (d.field)}
					<li>
						{f(d.field).label}: <s class="text-quiet">{say(d.field, d.shown) || 'blank'}</s> →
						<span class="mono text-brass-ink">{say(d.field, d.now) || 'blank'}</span>
					</li>
				{/each}
			</ul>
			<div class="mt-2 flex gap-3">
				<button class="button main" disabled={entry.busy}
					>{otherwise.release === w.force.number
						? 'Save it so'
						: `Save by release ${otherwise.release}`}</button
				>
				<button type="button" class="button" onclick={again}
					>{otherwise.release === w.force.number
						? 'Show the form by them'
						: `Show the form by release ${otherwise.release}`}</button
				>
			</div>
		</div>
	{/if}
	{#if entry.conflict}
		{@const conflict = entry.conflict}
		<section class="mb-3 border border-brick bg-brick-wash p-4" role="alert">
			<h2 class="text-brick">● Somebody else saved this record since you opened it</h2>
			<table class="mt-2 text-sm">
				<thead
					><tr class="text-left text-quiet"
						><th class="pr-4 font-normal">Field</th><th class="pr-4 font-normal"
							>When you opened it</th
						><th class="pr-4 font-normal">Stored now</th><th class="font-normal">Yours</th></tr
					></thead
				>
				<tbody>
					{#each entry.differing as x (x.id)}
						<tr
							><td class="pr-4">{x.label}</td><td class="mono pr-4"
								>{say(x.id, entry.stored(x.id)) || 'blank'}</td
							><td class="mono pr-4">{say(x.id, conflict.values[x.id] ?? null) || 'blank'}</td><td
								>{#if entry.isTouched(x.id)}<span class="mono"
										>{say(x.id, entry.sent.find(([y]) => y === x.id)![1]) || 'blank'}</span
									>
									<button type="button" class="textlink ml-2" onclick={() => entry.letGo(x.id)}
										>take what is stored</button
									>{:else}<span class="text-quiet">not touched</span>{/if}</td
							></tr
						>
					{/each}
				</tbody>
			</table>
			<button type="button" class="button mt-3" onclick={again}
				>Go on from what is stored now, with my changes on top</button
			>
		</section>
	{/if}
	{#if w.near.trouble}
		<p class="mb-2 bg-ochre-wash px-4 py-2 text-sm" role="status" data-testid="near-trouble">
			<span class="text-ochre">▲ not known yet</span> Related records could not be fetched: {w.near
				.trouble} It is tried again by itself; what is shown may still change.
		</p>
	{/if}
	<div class="sticky bottom-0 flex items-center gap-4 border-t border-line bg-paper py-2">
		{#if w.canEdit && !trying}<button
				class="button main"
				disabled={entry.busy || entry.conflict !== null || !w.here}
				>{id === null ? `Create ${type.label.toLowerCase()}` : 'Save'}</button
			>{/if}
		{#if entry.sent.length}<button type="button" class="button" onclick={() => entry.undoAll()}
				>Undo all changes</button
			>{/if}
		{#if id !== null}<button
				type="button"
				class="button"
				aria-pressed={trying}
				onclick={() => {
					trying = !trying;
					entry.undoAll();
				}}>{trying ? 'Back to the record' : 'What would happen if …'}</button
			>{/if}
		<p class="text-sm" role="status">
			{#each entry.problems as p, n (n)}<span class="text-brick">● {p.message}</span>{/each}
			{#if trying}Nothing you change here is stored.{:else}{entry.saved ??
					(entry.sent.length
						? `${entry.sent.length} field${entry.sent.length > 1 ? 's' : ''} changed, not saved yet.`
						: '')}{/if}
		</p>
		<span class="ml-auto text-xs text-quiet">runs release {entry.release}</span>
	</div>
</form>

<style>
	.fields {
		display: grid;
		grid-template-columns: repeat(auto-fill, minmax(400px, 1fr));
		column-gap: 24px;
	}
	.field {
		display: grid;
		grid-template-columns: 140px minmax(0, 1fr);
		gap: 8px;
		padding: 4px 0;
		align-items: start;
	}
	@media (max-width: 700px) {
		.fields {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
