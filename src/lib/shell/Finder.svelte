<script lang="ts" module>
	/** Something that can be gone to or done, by its name. */
	export interface Findable {
		id: string;
		label: string;
		/** What it is, and of what. */
		kind: string;
		/** Words by which it is found besides. */
		also?: string;
		href?: string;
		run?: () => void;
	}
</script>

<script lang="ts">
	/** Finds anything by its name, typing errors forgiven: fields, rules, options, tables, trials, findings, records, pages, commands. */
	import { Command, Dialog } from 'bits-ui';
	import Fuse from 'fuse.js';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { sheetOf } from '$core';
	import { ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		open = $bindable(false),
		commands
	}: {
		open: boolean;
		/** What can be done, besides going somewhere. */
		commands: readonly Findable[];
	} = $props();

	const w = useWorkbench();
	/** Most that are shown. */
	const MOST = 40;
	/** From so many letters on records are looked for. */
	const LETTERS = 2;
	let typed = $state('');
	/** What things were called in a release, and the releases; asked for each time it opens. */
	let names = $state.raw<{
		former: { what: string; of: string; id: string; label: string }[];
		releases: { number: number; note: string }[];
	}>({ former: [], releases: [] });
	$effect(() => {
		if (!open) return;
		ask<typeof names>('/look/names').then(
			(n) => (names = n),
			// without it, what is called so now is found all the same
			() => undefined
		);
	});
	/** What something was called before, behind what it is. */
	const once = (key: string) => {
		const had = names.former.filter((n) => `${n.what} ${n.of}.${n.id}` === key).map((n) => n.label);
		return had.length ? `once ${had.map((l) => `“${l}”`).join(', ')}` : '';
	};
	let records = $state.raw<Findable[]>([]);

	const PAGES: [label: string, href: string, also: string][] = [
		['Write', '/', 'sheet rules'],
		['Check', '/check', 'findings mistakes'],
		['Try', '/try', 'trials tests'],
		['What nobody tried', '/try?view=untried', 'untried coverage points proposed trials'],
		['Strength of the trials', '/try?view=strength', 'mistakes noticed'],
		['Rehearse', '/rehearse', 'existing records'],
		['Release', '/release', 'versions in force'],
		['Pilot', '/pilot', 'some records first try a release on a few widen withdraw'],
		['Compare', '/compare', 'two versions releases draft file differs'],
		['Bundle', '/bundle', 'file take out in export import rules workspace'],
		['Journal', '/journal', 'history runs'],
		['Reference tables', '/tables', ''],
		['Definitions', '/definitions', ''],
		['Outbox', '/outbox', 'messages mail'],
		['Webhooks', '/webhooks', 'other systems told events receiver'],
		['Indexes of lists', '/indexes', 'slow fast list view sort filter'],
		['Lead source', '/lead-source', 'enquiries stand-in web form'],
		['Model', '/model', 'record types fields options lists forms'],
		['People', '/people', 'accounts roles passwords'],
		['Your account', '/account', 'password sessions sign out'],
		['Settings', '/settings', 'tokens']
	];
	const all = $derived.by((): Findable[] => {
		if (!open) return [];
		const out: Findable[] = [...commands];
		// what is near comes first among equals
		const here = page.params.type;
		const types = [...w.model.types].sort((a, b) => Number(b.id === here) - Number(a.id === here));
		for (const t of types) {
			for (const f of t.fields)
				if (!f.retired)
					out.push({
						id: `field ${t.id}.${f.id}`,
						label: f.label,
						kind: [`field of ${t.label}`, once(`field ${t.id}.${f.id}`)].filter(Boolean).join(', '),
						also: `${t.label} ${once(`field ${t.id}.${f.id}`)}`,
						href: `/write/${t.id}/${f.id}`
					});
			out.push({
				id: `whole ${t.id}`,
				label: `${t.label}: rules and fields`,
				kind: 'the whole',
				also: 'picture matrix map diagram',
				href: `/whole/${t.id}`
			});
			out.push({
				id: `model ${t.id}`,
				label: `${t.label}: fields and forms`,
				kind: 'model',
				also: 'record type columns headings',
				href: `/model/${t.id}`
			});
			out.push({
				id: `records ${t.id}`,
				label: t.plural,
				kind: 'records',
				href: `/records/${t.id}`
			});
		}
		for (const r of w.draft.rules)
			out.push({
				id: `rule ${r.id}`,
				label: r.name,
				kind: `rule of ${w.schema.types.get(r.type)?.type.label ?? ''}`,
				also: `${r.why} ${once(`rule .${r.id}`)}`,
				href: `/write/${r.type}/${sheetOf(r)}#rule-${r.id}`
			});
		for (const l of w.model.lists) {
			out.push({
				id: `list ${l.id}`,
				// a field called alike is meant more often
				label: `${l.label}: the list of options`,
				kind: 'model',
				href: `/options/${l.id}`
			});
			for (const o of l.options)
				out.push({
					id: `option ${l.id}.${o.id}`,
					label: o.label,
					kind: [`option of ${l.label}`, once(`option ${l.id}.${o.id}`)].filter(Boolean).join(', '),
					also: once(`option ${l.id}.${o.id}`),
					href: placeOfList(l.id)
				});
		}
		for (const t of w.draft.tables ?? [])
			out.push({
				id: `table ${t.id}`,
				label: t.label,
				kind: 'reference table',
				also: t.why,
				href: `/tables/${t.id}`
			});
		for (const d of w.draft.definitions ?? [])
			out.push({
				id: `definition ${d.id}`,
				label: d.name,
				kind: 'definition',
				href: `/definitions#definition-${d.id}`
			});
		for (const t of w.trials.all)
			out.push({ id: `trial ${t.id}`, label: t.name, kind: 'trial', href: `/try#${t.id}` });
		for (const f of w.found)
			out.push({
				id: `finding ${f.id}`,
				label: f.message,
				kind: `finding at ${w.nameOf(f)}`,
				href: w.placeOf(f)
			});
		for (const r of names.releases)
			out.push({
				id: `release ${r.number}`,
				label: `Release ${r.number}`,
				kind: r.note,
				also: `v${r.number} version`,
				href: `/paper/${r.number}`
			});
		for (const [label, href, also] of PAGES)
			out.push({ id: `page ${href}`, label, kind: 'page', also, href });
		return out;
	});
	/** The first field that holds an option of a list. */
	function placeOfList(list: string): string {
		for (const t of w.model.types)
			for (const f of t.fields) if (f.list === list && !f.retired) return `/write/${t.id}/${f.id}`;
		return `/options/${list}`;
	}
	const index = $derived(
		new Fuse(all, {
			keys: [
				{ name: 'label', weight: 4 },
				{ name: 'also', weight: 1 },
				{ name: 'kind', weight: 1 }
			],
			threshold: 0.34,
			ignoreLocation: true,
			minMatchCharLength: 2
		})
	);
	const found = $derived.by((): Findable[] => {
		const text = typed.trim();
		if (!text) return all.filter((f) => !f.id.startsWith('option')).slice(0, MOST);
		const low = text.toLowerCase();
		// what begins as it is typed stands before what is only like it
		const starts = all.filter((f) => f.label.toLowerCase().startsWith(low));
		const like = index.search(text, { limit: MOST }).map((r) => r.item);
		return [...new Set([...starts, ...like])].slice(0, MOST);
	});

	let asked = 0;
	$effect(() => {
		const text = typed.trim();
		const mine = ++asked;
		if (!open || text.length < LETTERS) {
			records = [];
			return;
		}
		const wait = setTimeout(async () => {
			const each = await Promise.all(
				w.model.types.map(async (t) => {
					try {
						const hits = await ask<{ id: string; title: string }[]>(
							`/look/links?type=${t.id}&find=${encodeURIComponent(text)}`
						);
						return hits.slice(0, 5).map((h) => ({
							id: `record ${t.id}.${h.id}`,
							label: h.title,
							kind: `${t.label.toLowerCase()} no. ${h.id}`,
							href: `/records/${t.id}/${h.id}`
						}));
					} catch {
						// without an answer the rest is found all the same
						return [];
					}
				})
			);
			if (mine === asked) records = each.flat();
		}, 160);
		return () => clearTimeout(wait);
	});

	function go(f: Findable) {
		open = false;
		typed = '';
		if (f.run) f.run();
		else if (f.href) void goto(f.href);
	}
	const shown = $derived([...found, ...records]);

	/** What Enter goes to. */
	let at = $state('');
	/** Somebody went to another one than the first: what is found later leaves them there. */
	let moved = false;
	// what comes late may come first: Enter goes to what is seen to stand there
	$effect(() => {
		if (!moved || !shown.some((f) => f.id === at)) at = shown[0]?.id ?? '';
	});
</script>

<Dialog.Root
	bind:open
	onOpenChange={(now) => {
		if (!now) typed = '';
	}}
>
	<Dialog.Portal>
		<Dialog.Overlay class="fixed inset-0 z-40 bg-ink/20" />
		<Dialog.Content
			class="fixed top-16 left-1/2 z-50 w-[600px] max-w-[calc(100vw-32px)] -translate-x-1/2 border border-ink bg-sheet"
		>
			<Dialog.Title class="sr-only">Find anything</Dialog.Title>
			<Command.Root
				shouldFilter={false}
				loop
				label="Find anything"
				bind:value={at}
				onkeydown={(e) =>
					(moved = e.key.startsWith('Arrow') || e.key === 'Home' || e.key === 'End')}
			>
				<Command.Input
					class="text-md w-full border-0 border-b border-line bg-transparent px-4 py-3 outline-none"
					placeholder="Find a field, rule, option, record, page …"
					aria-label="Find anything"
					bind:value={typed}
				/>
				<Command.List class="max-h-[60vh] overflow-y-auto py-1" aria-label="What is found">
					<Command.Viewport>
						{#if !shown.length}
							<p class="px-4 py-2 text-quiet">Nothing is called so, or like it.</p>
						{/if}
						{#each shown as f (f.id)}
							<Command.Item
								value={f.id}
								class="flex min-h-8 cursor-pointer items-baseline gap-3 px-4 py-1 data-selected:bg-band-1"
								onSelect={() => go(f)}
								onpointermove={() => (moved = true)}
							>
								<span class="min-w-0 grow truncate">{f.label}</span>
								<span class="max-w-64 truncate text-xs whitespace-nowrap text-quiet">{f.kind}</span>
							</Command.Item>
						{/each}
					</Command.Viewport>
				</Command.List>
			</Command.Root>
		</Dialog.Content>
	</Dialog.Portal>
</Dialog.Root>
