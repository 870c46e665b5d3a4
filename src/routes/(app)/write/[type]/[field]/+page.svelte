<script lang="ts">
	import { onDestroy, onMount, tick, untrack } from 'svelte';
	import { page } from '$app/state';
	import type { Output, Rule, Suggestion } from '$core';
	import { MESSAGES, flowOf, freeName, isAbout, offersAt, refKey, sheetOf, writerOf } from '$core';
	import { Reorder } from '$lib/grid/reorder.svelte';
	import SearchPick from '$lib/inputs/SearchPick.svelte';
	import { fetchEditors } from '$lib/kinds';
	import RuleCard from '$lib/rule/RuleCard.svelte';
	import Strip from '$lib/sample/Strip.svelte';
	import Suggested from '$lib/rule/Suggested.svelte';
	import { nameOf } from '$lib/rule/suggested';
	import Sample from '$lib/sample/Sample.svelte';
	import Begin from '$lib/shell/Begin.svelte';
	import Splitter from '$lib/shell/Splitter.svelte';
	import { describeField, formatCount } from '$lib/words/format';
	import { BetweenClaims } from '$lib/work/between.svelte';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, params } = $props();
	/** Pixels of the pane of the sample. */
	const SAMPLE = 400;
	let sample = $state(SAMPLE);
	const w = useWorkbench();
	const type = $derived(w.schema.types.get(params.type)?.type);
	const field = $derived(w.field(params.type, params.field));
	const messages = $derived(params.field === MESSAGES);
	const about = $derived(
		messages
			? `what leaves when a ${type?.label.toLowerCase()} changes`
			: field
				? describeField(field, w.schema)
				: ''
	);
	const rules = $derived(w.rulesOf(params.type, params.field));

	const order = new Reorder<Rule>({
		items: () => rules,
		label: () => `the claim order of ${field?.label}`,
		disabled: () => !w.canEdit || messages,
		move: (from, to) => w.place(params.type, params.field, rules[from].id, to)
	});

	// those of other kinds come as soon as the sheet is painted, so that no rule waits for its own when it is begun
	onMount(() => {
		const soon = setTimeout(() => void fetchEditors(), 100);
		return () => clearTimeout(soon);
	});

	const between = new BetweenClaims();
	onDestroy(() => between.stop());
	$effect(() => {
		if (messages) return;
		const { model, draft } = w;
		const set = { ...draft, rules: rules.filter((r) => writerOf(r.body) && !r.off) };
		const of = { type: params.type, field: params.field };
		untrack(() => between.look({ model, set, ...of }));
	});

	/** Rules that are open from the start: those that changed or have a finding, else the first. */
	const leads = $derived.by(() => {
		const busy = rules.filter(
			(r) => w.changes.some((c) => c.id === r.id) || w.found.some((f) => isAbout(f, r.id))
		);
		return new Set((busy.length ? busy : rules.slice(0, 1)).map((r) => r.id));
	});

	function pin() {
		const first = data.first;
		if (first) w.titles.learn(first.links);
		const blank = {
			title: `New ${type?.label.toLowerCase() ?? 'record'}`,
			id: null,
			was: {},
			links: {}
		};
		w.sample = {
			type: params.type,
			...(first
				? {
						title: first.title,
						id: first.id,
						was: first.values,
						links: first.links,
						added: first.added
					}
				: blank),
			sent: [],
			entryPoint: 'full',
			created: !first,
			day: null
		};
	}
	// a sample stays pinned from sheet to sheet of its type, unless another was asked for
	function pinWhereNeeded() {
		if (!w.sample || w.sample.type !== params.type || (data.asked && w.sample.id !== data.asked))
			pin();
	}
	pinWhereNeeded();
	// an address with a finding shows its record, until another sample is chosen
	let shown: string | null = null;
	function pinFinding() {
		const asked = page.url.searchParams.get('finding');
		if (asked === shown) return;
		const finding = w.found.find((f) => f.id === asked);
		// right after loading, the analysis may still be at it
		if (asked && !finding) return;
		shown = asked;
		if (finding?.witness && finding.type === params.type) w.showFinding(finding);
	}
	pinFinding();
	$effect.pre(() => {
		void params.type;
		void data;
		void page.url.searchParams.get('finding');
		void w.found;
		untrack(() => {
			pinWhereNeeded();
			pinFinding();
		});
	});

	/** Who reads this field: rules of any type, each once. */
	const readers = $derived(
		flowOf(w.plan, w.draft)
			.filter(
				(f) =>
					f.reads.some((r) => r.type === params.type && r.field === params.field) &&
					!rules.some((r) => r.id === f.rule.id)
			)
			.map(({ rule }) => ({ key: rule.id, name: rule.name, type: rule.type, field: sheetOf(rule) }))
	);

	// ---- a new rule ---------------------------------------------------------------------------

	const choices = $derived(
		field && type ? offersAt({ schema: w.schema, type: type.id, field }) : []
	);

	const newId = () => `r_${crypto.randomUUID().slice(0, 8)}`;
	const unasked = {
		why: '',
		entryPoints: null,
		watch: null,
		entering: false,
		guard: null
	} satisfies Partial<Rule>;
	/** A new rule stands at the end of the sheet. */
	function show(id: string) {
		return tick().then(() => {
			const card = document.getElementById(`rule-${id}`);
			card?.scrollIntoView({ block: 'nearest' });
			return card;
		});
	}
	/** Makes a rule of what the records propose; its name has the focus. */
	async function use(s: Suggestion) {
		await fetchEditors([s.rule.body.kind]);
		const id = newId();
		w.addRule({
			...unasked,
			...s.rule,
			id,
			type: params.type,
			name: freeName(w.draft, params.type, nameOf(s, field!)),
			moments: s.rule.kind === 'default' ? ['created'] : ['created', 'changed', 'request']
		});
		void show(id).then((card) => card?.querySelector('input')?.focus());
	}

	/** Begins a rule for a purpose; what is said first of it has the focus. */
	async function add(c: (typeof choices)[number]) {
		const body = c.make();
		// it is there whole when it is there: what is typed at once is meant for it
		await fetchEditors([body.kind]);
		const id = newId();
		const hold = c.hold ?? (c.verb === 'default' ? 'once' : 'follow');
		const output = (id: string, field: string): Output => ({
			id,
			field,
			hold,
			...(c.closed ? { closed: true } : {}),
			none: hold === 'locked' ? 'clear' : 'next'
		});
		const first = c.begins ?? 'source';
		w.begun = { rule: id, first };
		w.addRule({
			...unasked,
			id,
			type: params.type,
			kind: c.verb,
			name: freeName(w.draft, params.type, `${field!.label}: ${c.name}`),
			moments:
				c.verb === 'default'
					? ['created']
					: messages
						? ['created', 'changed']
						: ['created', 'changed', 'request'],
			...(c.each ? { each: c.each } : {}),
			watch: first === 'watch' ? [] : null,
			guard: first === 'condition' ? { text: '' } : null,
			outputs: messages
				? []
				: [output('o1', params.field), ...(c.second ? [output('o2', c.second)] : [])],
			body
		});
		void show(id);
	}
	const addLabel = $derived(
		messages
			? 'Another message'
			: rules.length
				? 'Another rule for this field'
				: 'Write its first rule'
	);

	const astray = $derived(w.line.open.get(refKey(params.type, params.field)) ?? 0);
	const gone = $derived(
		w.changes
			.filter((c) => c.what === 'removed')
			.filter(
				(c) =>
					w.force.set.rules
						.find((r) => r.id === c.id)
						?.outputs.some((o) => o.field === params.field) &&
					w.force.set.rules.find((r) => r.id === c.id)?.type === params.type
			)
	);
</script>

<svelte:head><title>{field?.label ?? 'Field'} · Rigid Rule</title></svelte:head>

<div class="panes" class:wide={w.wide} style:--sample="{sample}px">
	<section
		class="sheet min-w-0 overflow-y-auto px-6 pt-3 pb-10"
		aria-label="How {field?.label} gets its value"
	>
		{#if field && type}
			<Begin />
			{#if w.wide && w.sample?.type === params.type}<Strip field={params.field} />{/if}
			<div class="flex items-baseline gap-3">
				<h1 class="text-xl whitespace-nowrap" tabindex="-1">{field.label}</h1>
				<span class="min-w-0 grow truncate text-sm text-quiet" title={about}>{about}</span>
				{#if !messages}<a
						class="textlink text-sm whitespace-nowrap"
						href="/whole/{type.id}/{field.id}">Where it comes from and goes to</a
					>{/if}
			</div>
			<p class="mb-3 text-sm text-quiet">
				{#if messages}{rules.length
						? 'Each of these rules sends for itself, when the change is kept.'
						: 'No rule sends a message yet.'}
				{:else if rules.length > 1}{rules.length} rules write this field. The first that applies gives
					the value.
				{:else if rules.length}One rule writes or checks this field.
				{:else}No rule writes this field; it holds what people enter.{/if}
				{#if astray}<a
						class="textlink"
						href="/line?{new URLSearchParams({ type: type.id, field: field.id })}"
						>{formatCount(astray)} stored {astray === 1 ? 'value is' : 'values are'} out of line</a
					> with what is in force.{/if}
			</p>
			<div use:order.zone={w.canEdit && !messages}>
				{#each order.shown as rule, i (rule.id)}
					<RuleCard
						{rule}
						{field}
						place={i}
						count={rules.length}
						lead={leads.has(rule.id)}
						pairs={between.pairs?.filter((p) => p.second === rule.id) ?? []}
						pairsOld={between.old}
						handle={w.canEdit && !messages ? order.handle(i, rule.name) : null}
					/>
				{/each}
			</div>
			{#each gone as g (g.id)}
				<p class="mb-3 border border-dashed border-line px-4 py-2 text-sm">
					“{g.name}” is in force and not in this draft. {#if w.canEdit}<button
							class="textlink"
							onclick={() => w.revertRule(g.id)}>Bring it back</button
						>{/if}
				</p>
			{/each}
			{#if w.canEdit}
				<div class="mt-4">
					<SearchPick
						id="another-rule"
						text={addLabel}
						label="How {messages ? 'it is sent' : `${field.label} gets its value`}"
						look="box"
						wide
						choices={() =>
							choices.map((c, i) => ({
								id: String(i),
								label: c.label,
								help: c.help,
								also: c.also
							}))}
						onpick={(i) => add(choices[Number(i)])}
					/>
				</div>
			{/if}
			{#if w.canEdit && !messages}
				{#key `${params.type}.${params.field}`}
					<Suggested type={params.type} {field} begin={!rules.length} onuse={use} />
				{/key}
			{/if}
			{#if readers.length}
				<p class="mt-5 text-sm">
					<span class="text-quiet">Read by</span>
					{#each readers as r, i (r.key)}{i ? ' · ' : ' '}<a
							class="word reads"
							href="/write/{r.type}/{r.field}#rule-{r.key}">{r.name}</a
						>{/each}
				</p>
			{/if}
		{/if}
	</section>
	<div class="between">
		{#if !w.wide}<Splitter
				label="the sample"
				remember="sample"
				first={SAMPLE}
				min={340}
				max={640}
				side="right"
				bind:width={sample}
			/>{/if}
	</div>
	<section class="min-h-0 bg-panel" aria-label="Sample">
		{#if !w.wide && w.sample && w.sample.type === params.type}
			{#if w.here}
				<Sample field={params.field} />
			{:else}
				<div class="px-5 pt-3">
					<h2 class="truncate text-lg">{w.sample.title}</h2>
					<p class="text-sm leading-7 text-quiet">Working out what the draft makes of it …</p>
				</div>
			{/if}
		{/if}
	</section>
</div>

<style>
	.panes {
		display: grid;
		grid-template-columns: minmax(0, 1fr) 0 minmax(340px, min(var(--sample), 50%));
		height: 100%;
	}
	.panes.wide {
		grid-template-columns: minmax(0, 1fr) 0 0;
	}
	.panes > * {
		min-height: 0;
	}
	.between {
		display: flex;
	}
	@media (max-width: 1100px) {
		.panes {
			grid-template-columns: minmax(0, 1fr) 0 320px;
		}
	}
	@media (max-width: 900px) {
		.panes {
			display: block;
			height: auto;
		}
		.between {
			display: none;
		}
	}
</style>
