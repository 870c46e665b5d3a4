<script lang="ts">
	/**
	 * A record's form, full or short. Every keystroke settles afresh what is stored and touched, by the
	 * release in force; saving settles it again on the server, which decides the same.
	 */
	import { goto, invalidateAll } from '$app/navigation';
	import { untrack } from 'svelte';
	import { Schema } from '$core/model/model';
	import type { JsonValue } from '$core/model/codec';
	import { toJson } from '$core/model/codec';
	import { compilePlan, ruleOf } from '$core/plan/plan';
	import { reason, type Format } from '$core/settle/reason';
	import { settle } from '$core/settle/settle';
	import { submissionOf } from '$core/trials/trials';
	import type { SetBy } from '$server/db/records';
	import { zones } from '../runtime/zones';
	import ValueInput from './ValueInput.svelte';
	import { formatValue } from './format';
	import { useWorkbench } from './workbench.svelte';

	let {
		type: typeId,
		id,
		version,
		values,
		setBy,
		links,
		short,
		inLine
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
	} = $props();

	const w = useWorkbench();
	// the form runs on what is in force, never on the draft
	const plan = $derived(compilePlan(new Schema(w.model), w.force.set));
	const type = $derived(w.schema.type(typeId).type);
	let sent = $state.raw<[string, JsonValue][]>([]);
	let unread = $state<Record<string, string>>({});
	let faults = $state<{ field: string | null; message: string }[]>([]);
	let saved = $state<string | null>(null);
	/** What the release in force now gives where the one this form ran gave something else. */
	let otherwise = $state.raw<{
		release: number;
		differences: { field: string; shown: JsonValue; now: JsonValue }[];
	} | null>(null);
	let conflict = $state.raw<{ version: number; values: Record<string, JsonValue> } | null>(null);
	let busy = $state(false);
	/** Rules that failed when it was saved last; their fields were left as they were. */
	let failed = $state.raw<{ field: string; rule: string; message: string }[]>([]);
	/** What a save gave, until the page has it too: whoever types on at once types upon that. */
	let saidOnSaving = $state.raw<{ version: number; values: Record<string, JsonValue> } | null>(
		null
	);
	const now = $derived(
		saidOnSaving && saidOnSaving.version > version ? saidOnSaving : { version, values }
	);
	const allLinks = w.titles.all;
	untrack(() => w.titles.learn(links));
	$effect.pre(() => w.titles.learn(links));
	const f = (fid: string) => w.schema.field(typeId, fid)!;
	const say = (fid: string, v: JsonValue) => formatValue(f(fid), v, w.schema, allLinks);

	const result = $derived.by(() => {
		try {
			const record = {
				...submissionOf(plan.schema, {
					type: typeId,
					was: id === null ? null : now.values,
					sent,
					...(id === null ? {} : { record: id })
				}),
				inLine: inLine || sent.length === 0
			};
			const change = {
				records: [record],
				entryPoint: short ? ('short' as const) : ('full' as const),
				instant: Date.now(),
				person: w.account.person
			};
			void w.near.version;
			const options = { explain: true, states: true, alone: true, zones };
			const settled = settle(plan, change, w.near.loader, options);
			if (settled.needs.length) queueMicrotask(() => w.near.want(settled.needs));
			return settled.records[0];
		} catch {
			return null;
		}
	});
	// opening an existing record runs nothing: what rules would write shows once something is touched
	const live = $derived(id === null || sent.length > 0);
	const place = (fid: string) => w.schema.type(typeId).at.get(fid)!;
	const stored = (fid: string): JsonValue => (id === null ? null : (now.values[fid] ?? null));
	const shown = (fid: string): JsonValue =>
		live && result ? toJson(result.values[place(fid)]) : stored(fid);
	const groups = $derived(
		short
			? [{ name: 'Short form', fields: type.short.map(f).filter((x) => x && !x.retired) }]
			: [...new Set(type.fields.map((x) => x.group))].map((name) => ({
					name,
					fields: type.fields.filter((x) => x.group === name && !x.retired)
				}))
	);

	/** One line for the sales person on why a field is as it is. */
	function why(fid: string): string | null {
		const c = live ? result?.changes.find((x) => x.field === fid) : null;
		if (c?.claim) {
			const r = result!.reports.find((x) => x.claim === c.claim);
			return r ? `because ${reason(plan, r, told)}` : null;
		}
		if (c) return null;
		const by = setBy[fid];
		if (by?.by === 'rule' && !isTouched(fid)) return `because ${by.because ?? by.rule}`;
		if (result?.readOnly.has(fid)) {
			const r = result.reports.find((x) => x.claim === result.readOnly.get(fid));
			return `only “${ruleOf(plan, result.readOnly.get(fid)!)?.name}” sets it${r && r.outcome === 'cleared' ? `: ${reason(plan, r, told)}` : ''}`;
		}
		return null;
	}
	const told: Format = (ref, v) => {
		const x = w.schema.field(ref.type, ref.field);
		return v === null ? 'blank' : x ? formatValue(x, toJson(v), w.schema, allLinks) : String(v);
	};
	const isTouched = (fid: string) => sent.some(([x]) => x === fid);

	function touch(fid: string, v: JsonValue, title?: string) {
		saved = null;
		if (title && typeof v === 'string') w.titles.learn({ [`${f(fid).target}.${v}`]: title });
		faults = faults.filter((x) => x.field !== fid);
		const rest = sent.filter(([x]) => x !== fid);
		// A → B → A is no change, unless a rule has taken the field meanwhile
		const back =
			JSON.stringify(stored(fid)) === JSON.stringify(v) &&
			!result?.changes.find((c) => c.field === fid)?.claim;
		sent = back ? rest : [...rest, [fid, v]];
	}

	async function save(e?: SubmitEvent) {
		e?.preventDefault();
		const open = Object.entries(unread);
		if (open.length) {
			faults = open.map(([field, message]) => ({ field, message }));
			document.getElementById(`f-${open[0][0]}`)?.focus();
			return;
		}
		if (id !== null && !sent.length) {
			saved = 'Nothing was changed, so nothing was saved.';
			return;
		}
		busy = true;
		failed = [];
		faults = [];
		try {
			const q = new URLSearchParams({
				form: short ? 'short' : 'full',
				...(id === null ? {} : { id })
			});
			const r = await fetch(`/save/${typeId}?${q}`, {
				method: 'POST',
				headers: { 'content-type': 'application/json', accept: 'application/json' },
				body: JSON.stringify({
					sent,
					release: otherwise?.release ?? w.force.number,
					...(id === null ? {} : { version: now.version })
				})
			});
			const answer = await r.json();
			otherwise = null;
			if (r.status === 409 && answer.current) conflict = answer.current;
			else if (r.status === 409 && answer.otherwise) otherwise = answer.otherwise;
			else if (!r.ok) {
				faults = answer.faults ?? [{ field: null, message: answer.message }];
				const first = faults.find((x) => x.field);
				if (first) document.getElementById(`f-${first.field}`)?.focus();
			} else {
				const rules = answer.changes.filter((c: { rule: string | null }) => c.rule).length;
				const own = answer.changes.length - rules;
				const more = [
					...(answer.reached.length
						? [`${answer.reached.length} related record${answer.reached.length === 1 ? '' : 's'}`]
						: []),
					...(answer.sent ? [`${answer.sent} message${answer.sent === 1 ? '' : 's'} to send`] : []),
					...(answer.pending ? [`${answer.pending} related records to follow`] : [])
				].map((x) => `, ${x}`);
				saved = `Saved by release ${answer.release}: ${own} field${own === 1 ? '' : 's'} from you, ${rules} by rules${more.join('')}.`;
				failed = answer.failures;
				saidOnSaving = { version: answer.version, values: answer.values };
				sent = [];
				if (id === null) await goto(`/records/${typeId}/${answer.id}`);
				else await invalidateAll();
			}
		} catch {
			faults = [
				{
					field: null,
					message: 'The server cannot be reached. What you typed is still here; save again.'
				}
			];
		}
		busy = false;
	}

	/** Fields that differ between what was opened and what is stored now. */
	const differing = $derived(
		conflict
			? type.fields.filter(
					(x) => JSON.stringify(stored(x.id)) !== JSON.stringify(conflict!.values[x.id] ?? null)
				)
			: []
	);
	async function takeTheirs() {
		const mine = sent;
		conflict = null;
		await invalidateAll();
		// what was typed stays, upon the record as it is now
		untrack(() => (sent = mine));
	}
	const problems = $derived(faults.filter((x) => x.field === null));
</script>

<form onsubmit={save} novalidate>
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
				{#each g.fields.filter((f) => !result?.hidden.has(f.id)) as x (x.id)}
					{@const locked = result?.readOnly.has(x.id) ?? false}
					{@const reasonText = why(x.id)}
					{@const fault = faults.find((p) => p.field === x.id)}
					{@const said = live ? (result?.messages ?? []).filter((m) => m.field === x.id) : []}
					{@const changed = JSON.stringify(shown(x.id)) !== JSON.stringify(stored(x.id))}
					<div class="field" data-field={x.id}>
						<label class="pt-1 text-sm" for="f-{x.id}"
							>{x.label}{#if result?.required.has(x.id)}<span
									class="pl-1 text-brick"
									title="required">*</span
								>{/if}{#if x.unit || (x.type === 'money' && x.currency)}<span
									class="pl-1 text-quiet">{x.unit ?? x.currency}</span
								>{/if}</label
						>
						<div class="min-w-0">
							{#if locked || !w.canEdit}
								<output
									id="f-{x.id}"
									class="mono box inline-block min-w-24 border-hairline bg-panel {locked
										? 'text-brass-ink'
										: ''}"
									aria-label={x.label}>{say(x.id, shown(x.id)) || '—'}</output
								>
								{#if locked}<span class="ml-1 text-xs text-quiet">◆ set by a rule</span>{/if}
							{:else}
								<ValueInput
									field={x}
									schema={w.schema}
									id="f-{x.id}"
									value={shown(x.id)}
									links={allLinks}
									only={result?.limited.get(x.id)}
									touched={isTouched(x.id)}
									describedby="w-{x.id}"
									onchange={(v, t) => touch(x.id, v, t)}
									onfault={(m) => {
										const { [x.id]: gone, ...rest } = unread;
										void gone;
										unread = m ? { ...rest, [x.id]: m } : rest;
									}}
								/>
							{/if}
							{#each said.filter((m) => m.text !== fault?.message) as m (m.claim)}
								<p class="text-xs {m.blocking ? 'text-brick' : 'text-ochre'}">
									{m.blocking ? '●' : '▲'}
									{m.text}
								</p>
							{/each}
							{#if fault}<p class="text-xs text-brick" role="alert">● {fault.message}</p>{/if}
							<p id="w-{x.id}" class="text-xs text-quiet">
								{#if live && changed && id !== null}<span class="mono"
										>was {say(x.id, stored(x.id)) || 'blank'}</span
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
	{#each failed as x (x.rule + x.field)}
		<p class="mb-2 bg-brick-wash px-4 py-2 text-sm" role="alert">
			<span class="text-brick">● “{x.rule}” failed</span> and left {w.field(typeId, x.field)
				?.label ?? x.field} as it was: {x.message}
		</p>
	{/each}
	{#if otherwise}
		<div class="mb-3 border border-ochre bg-sheet px-4 py-2" role="alert">
			<p>
				▲ Release {otherwise.release} is in force now; this form ran release {w.force.number}. It
				decides otherwise:
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
				<button class="button main" disabled={busy}>Save by release {otherwise.release}</button>
				<button
					type="button"
					class="button"
					onclick={async () => {
						otherwise = null;
						const mine = sent;
						await invalidateAll();
						untrack(() => (sent = mine));
					}}>Show the form by release {otherwise.release}</button
				>
			</div>
		</div>
	{/if}
	{#if conflict}
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
					{#each differing as x (x.id)}
						<tr
							><td class="pr-4">{x.label}</td><td class="mono pr-4"
								>{say(x.id, stored(x.id)) || 'blank'}</td
							><td class="mono pr-4">{say(x.id, conflict.values[x.id] ?? null) || 'blank'}</td><td
								>{#if isTouched(x.id)}<span class="mono"
										>{say(x.id, sent.find(([y]) => y === x.id)![1]) || 'blank'}</span
									>
									<button
										type="button"
										class="textlink ml-2"
										onclick={() => (sent = sent.filter(([y]) => y !== x.id))}
										>take what is stored</button
									>{:else}<span class="text-quiet">not touched</span>{/if}</td
							></tr
						>
					{/each}
				</tbody>
			</table>
			<button type="button" class="button mt-3" onclick={takeTheirs}
				>Go on from what is stored now, with my changes on top</button
			>
		</section>
	{/if}
	<div class="sticky bottom-0 flex items-center gap-4 border-t border-line bg-paper py-2">
		{#if w.canEdit}<button class="button main" disabled={busy || conflict !== null}
				>{id === null ? `Create ${type.label.toLowerCase()}` : 'Save'}</button
			>{/if}
		{#if sent.length}<button
				type="button"
				class="button"
				onclick={() => {
					sent = [];
					faults = [];
					unread = {};
				}}>Undo all changes</button
			>{/if}
		<p class="text-sm" role="status">
			{#each problems as p (p.message)}<span class="text-brick">● {p.message}</span>{/each}
			{saved ??
				(sent.length
					? `${sent.length} field${sent.length > 1 ? 's' : ''} changed, not saved yet.`
					: '')}
		</p>
		<span class="ml-auto text-xs text-quiet">runs release {w.force.number}</span>
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
