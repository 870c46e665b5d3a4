<script lang="ts">
	/** The model of a bundle against the one here: what each part is taken for, and what would be made or changed. */
	import { Schema, type Meeting, type ModelFault, type ModelOffer } from '$core';
	import Choose from '../inputs/Choose.svelte';
	import { tell } from '../shell/notices';
	import { useWorkbench } from '../work/workbench.svelte';
	import { attributeLabel, sayAttribute } from './attributes';
	import type { Taking } from './taking.svelte';

	let { t }: { t: Taking } = $props();
	const w = useWorkbench();
	let faults = $state.raw<readonly ModelFault[]>([]);
	const WORD: Partial<Record<Meeting['part'], string>> = {
		type: 'record type',
		field: 'field',
		list: 'option list',
		option: 'option'
	};
	const NEW = '~new';

	/** The path of what a part is here, as offers have it. */
	function pathOf(m: Meeting): string {
		const within = m.within ? t.byKey.get(m.within)!.here : '';
		if (m.part === 'type') return `types ${m.here}`;
		if (m.part === 'list') return `lists ${m.here}`;
		return m.part === 'field'
			? `types ${within} fields ${m.here}`
			: `lists ${within} options ${m.here}`;
	}
	interface Line {
		m: Meeting;
		/** That makes it, where it is new. */
		makes: ModelOffer | null;
		/** Of it that would be otherwise. */
		offers: ModelOffer[];
	}
	/** Record types and lists of which there is something to say, each with its parts. */
	const groups = $derived.by(() => {
		const byPath = new Map<string, ModelOffer[]>();
		for (const o of t.offers) {
			const path = o.says ? o.key.slice(0, o.key.lastIndexOf(' ')) : o.key;
			byPath.set(path, [...(byPath.get(path) ?? []), o]);
		}
		const noted = new Set(t.noted.map((m) => m.key));
		const lines = new Map<string, Line>();
		for (const m of t.met) {
			if (!WORD[m.part] || (m.within && t.byKey.get(m.within)?.isNew)) continue;
			const all = byPath.get(pathOf(m)) ?? [];
			if (!noted.has(m.key) && !all.length) continue;
			const makes = all.find((o) => o.says === null) ?? null;
			lines.set(m.key, { m, makes, offers: all.filter((o) => o.says !== null) });
		}
		const whole = [...lines.values()].filter(({ m }) => m.isNew && !m.within);
		const inside = ([of, said]: ['type' | 'list', string]) =>
			t.met.flatMap((m) => {
				const own = lines.get(m.key);
				const parts = [...lines.values()].filter((l) => l.m.within === m.key);
				if (m.part !== of || m.isNew || (!own && !parts.length)) return [];
				return [{ key: m.key, name: m.label, said, lines: own ? [own, ...parts] : parts }];
			});
		const made = (of: 'type' | 'list', name: string) => {
			const some = whole.filter((l) => l.m.part === of);
			return some.length ? [{ key: name, name, said: '', lines: some }] : [];
		};
		return [
			...made('type', 'New record types'),
			...made('list', 'New option lists'),
			...inside(['type', 'record type']),
			...inside(['list', 'option list'])
		];
	});
	const news = $derived(t.offers.filter(t.isNew));
	const held = (m: Meeting) => {
		if (m.part === 'type')
			return `with ${t.bundle.model.types.find((x) => x.id === m.id)!.fields.length} fields`;
		const list = t.bundle.model.lists.find((x) => x.id === m.id);
		return m.part === 'list' && list ? `with ${list.options.length} options` : '';
	};
	const wanted = $derived(new Schema(t.bundle.model));

	async function take() {
		const n = t.chosenOffers.length;
		faults = await t.takeModel();
		if (!faults.length) tell(`The model has ${n === 1 ? 'it' : `all ${n}`} now.`);
	}
</script>

{#snippet takenFor(m: Meeting)}
	{#if m.candidates.length}
		<Choose
			label="What {m.label} is here"
			value={m.isNew ? NEW : m.here}
			choices={[
				{ value: NEW, label: 'something new' },
				...m.candidates.map((c) => ({ value: c.id, label: c.label }))
			]}
			onpick={(v) => t.choose(m.key, v === NEW ? null : v)}
		/>
	{/if}
{/snippet}

{#snippet line({ m, makes, offers }: Line)}
	<li class="border-t border-hairline py-1">
		<div class="flex min-h-8 flex-wrap items-center gap-x-3">
			{#if makes}
				<label class="flex min-h-6 items-center gap-2"
					><input
						type="checkbox"
						checked={t.isOffered(makes)}
						onchange={(e) => t.sayOffer(makes, e.currentTarget.checked)}
					/><span class="font-medium">{m.label}</span></label
				>
				<span class="text-sm text-quiet">{m.within ? `new ${WORD[m.part]}` : held(m)}</span>
			{:else}
				<span class="font-medium">{m.label}</span>
				<span class="text-sm text-quiet">
					{#if m.otherwise}called “{m.otherwise}” here{:else if m.by === 'name'}known by its name{:else if m.by === 'code'}known
						by its code{:else if m.by === 'choice'}as you said{/if}
				</span>
			{/if}
			{#if m.unlike}<span class="text-sm text-ochre">▲ {m.unlike}; it stays what it is</span>{/if}
			<span class="ml-auto flex items-center gap-2 text-sm">
				{#if m.candidates.length}<span class="text-quiet">here it is</span>{/if}
				{@render takenFor(m)}
			</span>
		</div>
		{#each offers as o (o.key)}
			<label class="ml-6 flex min-h-6 items-start gap-2 text-sm"
				><input
					type="checkbox"
					class="mt-1"
					checked={t.isOffered(o)}
					onchange={(e) => t.sayOffer(o, e.currentTarget.checked)}
				/><span
					>{attributeLabel(o.says!.attribute)}:
					<span class="text-quiet"
						>{sayAttribute(o.says!.attribute, o.says!.here, w.schema, o.piece.path[1])} →</span
					>
					{sayAttribute(
						o.says!.attribute,
						o.says!.there,
						wanted,
						m.part === 'type' ? m.id : ''
					)}</span
				></label
			>
		{/each}
	</li>
{/snippet}

<section aria-labelledby="model-step">
	<h2 id="model-step" class="mt-5 text-base">1 · The model</h2>
	{#if !groups.length}
		<p class="mt-1">✓ All that it speaks of is here, and is called so.</p>
	{:else}
		<p class="mt-1 text-sm text-quiet">
			{news.length
				? 'What is ticked is made or changed in the model, which is live at once. Nothing is taken out of it.'
				: 'All that it speaks of is here. Some of it is otherwise; what is ticked becomes as it is there.'}
			{#if t.untouched}This workspace has no rules yet, so all is proposed as it is there.{/if}
		</p>
		<div class="ticks mt-1"></div>
		{#each groups as g (g.key)}
			<h3 class="mt-3 text-sm font-semibold">
				{g.name} <span class="font-normal text-quiet">{g.said}</span>
			</h3>
			<ul aria-label="{g.name}: what is new or otherwise">
				{#each g.lines as l (l.m.key)}{@render line(l)}{/each}
			</ul>
		{/each}
	{/if}
	{#each faults as f, i (i)}<p class="mt-1 text-brick" role="alert">● {f.message}</p>{/each}
	{#if !t.pastModel}
		<div class="mt-3 flex flex-wrap gap-3">
			{#if t.chosenOffers.length}
				{#if w.may('model')}<button
						class="button main"
						disabled={t.busy}
						onclick={() => void take()}
						>{t.busy ? 'Taking …' : `Take ${t.chosenOffers.length} into the model`}</button
					>{:else}<p class="text-quiet">The model is changed by authors and administrators.</p>{/if}
			{/if}
			<button
				class="button"
				class:main={!t.chosenOffers.length}
				onclick={() => (t.pastModel = true)}
				>{t.chosenOffers.length ? 'Go on without' : 'Go on to the rules'}</button
			>
		</div>
	{/if}
</section>
