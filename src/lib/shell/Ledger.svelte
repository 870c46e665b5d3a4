<script lang="ts">
	/** The field ledger: the fields of one record type, what they are, how many rules write them and how firmly. */
	import { onMount } from 'svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import type { Finding } from '$core';
	import { MESSAGES, claimCounts, refKey } from '$core';
	import { HOLD_VERB, TYPE_MARK, formatCount } from '../words/format';
	import { spell } from '$core/feel/language';
	import { insertions } from '../inputs/insertion.svelte';
	import Choose from '../inputs/Choose.svelte';
	import { useWorkbench } from '../work/workbench.svelte';

	const w = useWorkbench();
	const here = $derived({ type: page.params.type ?? 'customer', field: page.params.field ?? '' });
	const onWrite = $derived(page.url.pathname.startsWith('/write'));
	const type = $derived(w.schema.types.get(here.type)?.type ?? w.model.types[0]);
	const counts = $derived(claimCounts(w.draft));
	const live = $derived(new Set(w.changes.map((c) => c.id)));

	onMount(() => void w.line.load());

	const SHOWN = [
		{ value: 'all', label: 'all' },
		{ value: 'rules', label: 'with rules' },
		{ value: 'findings', label: 'with findings' },
		{ value: 'draft', label: 'not live yet' }
	];
	/** How firmly rules own a field: the verb of their sentence. */
	const firmly = (hold: string) =>
		hold in HOLD_VERB ? HOLD_VERB[hold as keyof typeof HOLD_VERB].replace(/ with$/, '') : hold;
	let find = $state('');
	let only = $state<'all' | 'rules' | 'findings' | 'draft'>('all');
	let folded = $state<Record<string, boolean>>({});

	const rows = $derived(
		type.fields
			.filter((f) => !f.retired)
			.map((f) => ({
				field: f,
				claims: counts.get(refKey(type.id, f.id)),
				found: w.foundAt(type.id, f.id),
				drafted: w.draft.rules.some(
					(r) => r.type === type.id && live.has(r.id) && r.outputs.some((o) => o.field === f.id)
				)
			}))
			.filter((r) => r.field.label.toLowerCase().includes(find.trim().toLowerCase()))
			.filter(
				(r) =>
					only === 'all' ||
					(only === 'rules' ? !!r.claims : only === 'findings' ? r.found.length > 0 : r.drafted)
			)
	);
	const sending = $derived(w.rulesOf(type.id, MESSAGES));
	/** What is done to related records when one of these changes. */
	const updates = $derived(
		w.draft.rules
			.filter((r) => r.each && w.schema.field(r.type, r.each)?.target === type.id)
			.flatMap((r) =>
				r.outputs.map((o) => ({
					key: `${r.id}:${o.id}`,
					name: r.name,
					label: `${w.schema.type(r.type).type.plural}: ${w.schema.field(r.type, o.field)?.label ?? o.field}`,
					href: `/write/${r.type}/${o.field}#rule-${r.id}`
				}))
			)
	);
	const groups = $derived([...new Set(rows.map((r) => r.field.group))]);
	const ruleCount = $derived(w.draft.rules.filter((r) => r.type === type.id).length);

	function keys(e: KeyboardEvent) {
		const links = [
			...(e.currentTarget as HTMLElement).querySelectorAll<HTMLAnchorElement>('a.row')
		];
		const at = links.indexOf(document.activeElement as HTMLAnchorElement);
		const to = e.key === 'ArrowDown' ? at + 1 : e.key === 'ArrowUp' ? at - 1 : -1;
		if (to < 0 || to >= links.length) return;
		e.preventDefault();
		links[to].focus();
	}
</script>

{#snippet flags(found: Finding[])}
	{#if found.length}
		{@const blocking = found.some((f) => f.severity === 'blocking')}
		<span
			class="text-xs font-semibold whitespace-nowrap {blocking ? 'text-brick' : 'text-ochre'}"
			aria-label="{found.length} {blocking ? 'blocking' : 'advisory'} findings"
		>
			{blocking ? '●' : '▲'}&#8201;{found.length}
		</span>
	{/if}
{/snippet}

<div class="flex h-full flex-col">
	<div class="border-b border-hairline px-4 pt-3 pb-2">
		<div class="flex items-baseline justify-between gap-2">
			<Choose
				id="ledger-type"
				label="Record type"
				value={type.id}
				plain
				class="-ml-1 min-h-7 max-w-40 min-w-0 shrink border-0 text-lg font-semibold"
				choices={w.model.types.map((t) => ({ value: t.id, label: t.label }))}
				onpick={(v) => {
					const t = w.schema.type(v).type;
					const first = t.fields.find((f) => counts.has(refKey(t.id, f.id))) ?? t.fields[0];
					void goto(`/write/${t.id}/${first.id}`);
				}}
			/>
			<span class="shrink-0 text-xs whitespace-nowrap text-quiet"
				>{type.fields.length} fields · {ruleCount} rules</span
			>
		</div>
		<div class="mt-1 flex gap-2">
			<input
				id="find-field"
				class="box min-w-0 grow"
				placeholder="Find a field"
				aria-label="Find a field"
				bind:value={find}
				onkeydown={(e) => {
					if (e.key === 'Enter' && rows[0]) void goto(`/write/${type.id}/${rows[0].field.id}`);
					if (e.key === 'Escape') find = '';
				}}
			/>
			<Choose
				id="ledger-only"
				label="Show"
				value={only}
				class="w-24 px-1"
				choices={SHOWN}
				onpick={(v) => (only = v as typeof only)}
			/>
		</div>
	</div>
	<!-- arrow keys move between the links of the list -->
	<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
	<nav
		class="min-h-0 flex-1 overflow-y-auto pb-4"
		aria-label="Fields of {type.label}"
		onkeydown={keys}
	>
		{#each groups as g (g)}
			<button class="group" aria-expanded={!folded[g]} onclick={() => (folded[g] = !folded[g])}>
				<span class="fold" aria-hidden="true">{folded[g] ? '▸' : '▾'}</span>{g}<span class="rule"
				></span>
			</button>
			{#if !folded[g]}
				{#each rows.filter((r) => r.field.group === g) as r (r.field.id)}
					{@const current = onWrite && here.field === r.field.id}
					<div class="line">
						<a
							href="/write/{type.id}/{r.field.id}"
							class="row"
							class:current
							aria-current={current ? 'page' : undefined}
						>
							<span class="mono w-7 shrink-0 text-[11px] text-quiet" aria-hidden="true"
								>{TYPE_MARK[r.field.type]}</span
							>
							<span class="grow truncate">{r.field.label}</span>
							{#if r.drafted}<span
									class="text-xs text-quiet"
									title="Not live yet"
									aria-label="not live yet">✎</span
								>{/if}
							{@render flags(r.found)}
							{#if r.claims}
								<span class="flex gap-[3px]" aria-label="{r.claims.count} rules">
									{#each { length: Math.min(r.claims.count, 4) } as _, i (i)}<span
											class="h-3 w-[2px] bg-brass"
										></span>{/each}
								</span>
								{@const astray = w.line.open.get(refKey(type.id, r.field.id)) ?? 0}
								<span class="firmly text-right text-xs whitespace-nowrap text-quiet"
									>{#if astray}<span
											class="mono text-ochre"
											title="{formatCount(astray)} stored values are out of line"
											aria-label="{formatCount(astray)} values out of line"
											>≠&#8201;{formatCount(astray)}</span
										>{:else}{firmly(r.claims.firmest)}{/if}</span
								>
							{/if}
						</a>
						{#if insertions.at?.type === type.id}
							{@const to = insertions.at}
							<button
								class="put text-xs text-teal"
								title="Put {r.field.label} into: {to.label}"
								aria-label="Put {r.field.label} into the formula"
								onmousedown={(e) => e.preventDefault()}
								onclick={(e) => {
									e.preventDefault();
									to.insert(spell(r.field.label));
								}}>⤶</button
							>
						{/if}
					</div>
				{/each}
			{/if}
		{:else}
			<p class="px-4 pt-4 text-quiet">
				No field fits. <button class="textlink" onclick={() => ((find = ''), (only = 'all'))}
					>Show all</button
				>
			</p>
		{/each}
		{#if !find.trim() && only === 'all'}
			<button
				class="group"
				aria-expanded={!folded['~']}
				onclick={() => (folded['~'] = !folded['~'])}
			>
				<span class="fold" aria-hidden="true">{folded['~'] ? '▸' : '▾'}</span>Messages, related
				records<span class="rule"></span>
			</button>
			{#if !folded['~']}
				{@const current = onWrite && here.field === MESSAGES}
				<a
					href="/write/{type.id}/{MESSAGES}"
					class="row"
					class:current
					aria-current={current ? 'page' : undefined}
				>
					<span class="mono w-7 shrink-0 text-[11px] text-quiet" aria-hidden="true">@→</span>
					<span class="grow truncate">Messages</span>
					{@render flags(w.foundAt(type.id, MESSAGES))}
					{#if sending.length}<span class="flex gap-[3px]" aria-label="{sending.length} rules"
							>{#each { length: Math.min(sending.length, 4) } as _, i (i)}<span
									class="h-3 w-[2px] bg-brass"
								></span>{/each}</span
						>
						<span class="w-11 text-right text-xs text-quiet">send</span>{/if}
				</a>
				{#each updates as u (u.key)}
					<a href={u.href} class="row">
						<span class="mono w-7 shrink-0 text-[11px] text-quiet" aria-hidden="true">⇉</span>
						<span class="grow truncate" title={u.name}>{u.label}</span>
					</a>
				{/each}
			{/if}
		{/if}
	</nav>
</div>

<style>
	.line {
		position: relative;
	}
	/* a field goes into the formula that is being written */
	.put {
		position: absolute;
		top: 0;
		right: 2px;
		width: 24px;
		height: 100%;
		opacity: 0;
		background: var(--color-band-1);
	}
	.line:hover .put,
	.put:focus-visible {
		opacity: 1;
	}
	.group {
		display: flex;
		align-items: center;
		gap: 6px;
		width: 100%;
		min-height: 26px;
		margin-top: 6px;
		padding: 0 16px;
		font-size: 12px;
		font-weight: 600;
		color: var(--color-quiet);
	}
	.fold {
		font-size: 10px;
	}
	.rule {
		flex: 1;
		height: 1px;
		background: var(--color-hairline);
	}
	.row {
		display: flex;
		align-items: center;
		gap: 6px;
		min-height: 26px;
		padding: 0 16px;
		text-decoration: none;
		border-left: 3px solid transparent;
		font-size: 13px;
	}
	.row:hover {
		background: var(--color-panel);
	}
	.row:focus-visible {
		outline-offset: -2px;
	}
	@media (max-width: 1100px) {
		.firmly {
			display: none;
		}
	}
	.current {
		background: var(--color-sheet);
		border-left-color: var(--color-brass);
		font-weight: 600;
		box-shadow:
			0 1px 0 var(--color-line),
			0 -1px 0 var(--color-line);
	}
</style>
