<script lang="ts">
	/** Rules as a DMN file: out, with what other programs do not find in it; in, looked at before it is taken. */
	import type { Definition, Rule } from '$core';
	import { canonicalJson } from '$core';
	import type { DmnVersion, Lost, Told } from '../../door/dmn';
	import Choose from '../inputs/Choose.svelte';
	import { tell } from '../shell/notices';
	import { Refused, ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';
	import Differences from './Differences.svelte';

	let { releases }: { releases: readonly { number: number }[] } = $props();

	const w = useWorkbench();
	const VERSIONS: DmnVersion[] = ['1.3', '1.4', '1.5'];
	let of = $state('draft');
	let version = $state<DmnVersion>('1.5');
	let lost = $state.raw<{ lost: Lost[]; holds: number } | null>(null);
	const address = $derived(`/dmn?of=${of}&version=${version}`);
	let trouble = $state('');
	async function tryTo(work: () => Promise<void>) {
		trouble = '';
		try {
			await work();
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
	}
	const lookOut = () =>
		tryTo(async () => {
			await w.flush();
			lost = await ask(`${address}&told`);
		});

	// ---- in -----------------------------------------------------------------------------------

	let type = $state(w.model.types[0].id);
	let taken = $state.raw<{ rules: Rule[]; definitions: Definition[]; told: Told[] } | null>(null);
	let chosen = $state.raw<ReadonlySet<string>>(new Set());
	let reading = $state('');
	const had = (id: string) => w.rule(id) ?? null;
	function same(r: Rule): boolean {
		const old = had(r.id);
		return !!old && canonicalJson(old) === canonicalJson(r);
	}
	async function read(file: File | undefined) {
		if (!file) return;
		taken = null;
		reading = file.name;
		await tryTo(async () => {
			await w.flush();
			const xml = await file.text();
			const read = await ask<NonNullable<typeof taken>>('/dmn', {
				method: 'POST',
				body: { xml, type }
			});
			taken = read;
			chosen = new Set(read.rules.filter((r) => !same(r)).map((r) => r.id));
		});
		reading = '';
	}
	function take() {
		if (!taken) return;
		const rules = taken.rules.filter((r) => chosen.has(r.id));
		const ids = new Map(rules.map((r) => [r.id, r]));
		const definitions = taken.definitions;
		const known = w.draft.definitions ?? [];
		w.edit('DMN file', {
			...w.draft,
			rules: [...w.draft.rules.map((r) => ids.get(r.id) ?? r), ...rules.filter((r) => !had(r.id))],
			definitions: [
				...known.map((d) => definitions.find((x) => x.id === d.id) ?? d),
				...definitions.filter((d) => !known.some((x) => x.id === d.id))
			]
		});
		tell(
			`${rules.length} ${rules.length === 1 ? 'rule is' : 'rules are'} in the draft now. Undo takes them out again.`
		);
		taken = null;
	}
	const toggle = (id: string) => {
		const next = new Set(chosen);
		if (!next.delete(id)) next.add(id);
		chosen = next;
	};
</script>

<section class="mt-6" aria-labelledby="exchange">
	<h2 id="exchange">As a DMN file</h2>
	<div class="ticks mt-1"></div>
	<p class="mt-1 text-sm text-quiet">
		The exchange format of the Decision Model and Notation standard, for other programs: bands,
		option grids, cases, tables, calculations and definitions.
	</p>
	<div class="mt-2 flex flex-wrap items-center gap-3 text-sm">
		<Choose
			id="dmn-of"
			label="Which rules"
			value={of}
			choices={[
				{ value: 'draft', label: 'the draft' },
				...releases.map((r) => ({ value: String(r.number), label: `release ${r.number}` }))
			]}
			onpick={(v) => {
				of = v;
				lost = null;
			}}
		/>
		<Choose
			id="dmn-version"
			label="Version of DMN"
			value={version}
			choices={VERSIONS.map((v) => ({ value: v, label: `DMN ${v}` }))}
			onpick={(v) => (version = v as DmnVersion)}
		/>
		<a class="button" href={address} download="rules-{of}.dmn">Download</a>
		<button class="textlink" onclick={lookOut}>What is lost for other programs?</button>
	</div>
	{#if lost}
		<!-- it is walked through by keys -->
		<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
		<div
			class="mt-2 max-h-72 overflow-y-auto border border-hairline bg-sheet px-3 py-2 text-sm"
			role="group"
			aria-label="What is lost for other programs"
			tabindex="0"
		>
			<p>
				It holds {lost.holds} decisions and definitions. This program reads all of them back as they are;
				others do not find:
			</p>
			<ul>
				{#each lost.lost as l, n (n)}
					<li class="border-t border-hairline py-1">
						<span class="font-medium">{l.name}</span>{#if l.whole}:
							<span class="text-ochre">▲ not in the file</span>,
						{/if}{l.whole ? '' : ': '}{l.what.join('; ')}
					</li>
				{/each}
			</ul>
		</div>
	{/if}
	{#if w.canEdit}
		<div class="mt-3 flex flex-wrap items-center gap-3 text-sm">
			<label class="font-medium" for="dmn-file">Take one in</label>
			<input
				id="dmn-file"
				type="file"
				class="file:mr-2 file:min-h-8 file:border file:border-field-line file:bg-sheet file:px-3"
				accept=".dmn,.xml,application/xml,text/xml"
				onchange={(e) => {
					void read(e.currentTarget.files?.[0]);
					e.currentTarget.value = '';
				}}
			/>
			<span class="text-quiet">a decision of another program is about</span>
			<Choose
				id="dmn-type"
				label="Record type of foreign decisions"
				value={type}
				choices={w.model.types.map((t) => ({ value: t.id, label: t.plural.toLowerCase() }))}
				onpick={(v) => (type = v)}
			/>
			{#if reading}<span role="status">reading {reading} …</span>{/if}
		</div>
	{/if}
	{#if trouble}<p class="mt-2 text-sm text-brick" role="alert">● {trouble}</p>{/if}
	{#if taken}
		<div class="mt-2 border border-line bg-sheet px-3 py-2 text-sm" data-testid="dmn-taken">
			{#if !taken.rules.length && !taken.definitions.length}<p>
					It holds nothing that can be taken in.
				</p>{/if}
			{#each taken.told as t, i (i)}<p class="text-ochre">▲ {t.place}: {t.message}</p>{/each}
			<ul class="mt-1">
				{#each taken.rules as r (r.id)}
					<li class="border-t border-hairline py-1">
						<label class="flex items-center gap-2"
							><input
								type="checkbox"
								checked={chosen.has(r.id)}
								disabled={same(r)}
								onchange={() => toggle(r.id)}
							/>
							<span class="font-medium">{r.name}</span>
							<span class="text-quiet"
								>{same(r) ? 'as in the draft' : had(r.id) ? 'changes the draft' : 'new'}</span
							></label
						>
						{#if chosen.has(r.id) && had(r.id)}<div class="ml-6">
								<Differences before={had(r.id)} after={r} />
							</div>{/if}
					</li>
				{/each}
			</ul>
			{#if taken.definitions.length}<p class="mt-1 text-quiet">
					with {taken.definitions.length} definition{taken.definitions.length === 1 ? '' : 's'}:
					{taken.definitions.map((d) => d.name).join(', ')}
				</p>{/if}
			<div class="mt-2 flex gap-3">
				<button class="button main" disabled={!chosen.size} onclick={take}
					>Take {chosen.size} into the draft</button
				>
				<button class="button" onclick={() => (taken = null)}>Not now</button>
			</div>
		</div>
	{/if}
</section>
