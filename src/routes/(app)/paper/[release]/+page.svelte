<script lang="ts">
	/** A rule sheet for paper: every rule in words, definitions and tables, who released them, and the hash; with room for signatures. */
	import { Schema, sayRule, sheetOf, tableToCells, MESSAGES, type Rule } from '$core';
	import { readFormula } from '$core/feel/language';
	import { formatMoment, formatValue } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	/** Rows of a table that are printed; the file of the release has the others. */
	const MOST_ROWS = 200;

	const set = $derived(data.of?.set ?? w.draft);
	const schema = $derived(data.of ? new Schema(data.of.model).with(data.of.set) : w.schema);
	const title = $derived(data.of ? `Release ${data.of.info.number}` : 'Draft');
	const hash = $derived(data.of?.info.hash ?? w.loadedHash);
	const say: typeof w.sayValue = (f, v) =>
		formatValue({ ...f, id: '', label: '', group: '' }, v, schema, w.titles.all);
	/** Rules by the field at which they stand, in claim order. */
	const types = $derived(
		schema.model.types.map((t) => ({
			type: t,
			fields: [...t.fields.map((f) => f.id), MESSAGES].flatMap((id) => {
				const rules = ofField(t.id, id);
				const label = id === MESSAGES ? 'Messages' : schema.field(t.id, id)!.label;
				return rules.length ? [{ id, label, rules }] : [];
			})
		}))
	);
	function ofField(type: string, field: string): Rule[] {
		const mine = set.rules.filter((r) => r.type === type && sheetOf(r) === field);
		const order = set.order[`${type}.${field}`] ?? [];
		const place = (r: Rule) => {
			const i = order.findIndex((c) => c.startsWith(`${r.id}:`));
			return i < 0 ? order.length : i;
		};
		return [...mine].sort((a, b) => place(a) - place(b));
	}
	/** Name and reason stand in the heading; what is as usual is not printed. */
	const parts = (r: Rule) =>
		sayRule(r, schema, say).filter(
			(p) =>
				!['name', 'why'].includes(p.key) &&
				!(p.key === 'entry points' && !r.entryPoints) &&
				!(p.key === 'moments' && r.moments.length === 3)
		);
</script>

<svelte:head><title>{title} on paper · Rigid Rule</title></svelte:head>

<article class="paper">
	<p class="no-print mb-4 flex items-center gap-3 text-sm">
		<button class="button" onclick={() => print()}>Print</button>
		<a class="textlink" href="/release">To the releases</a>
	</p>
	<header>
		<h1>Rules of {title.toLowerCase()}</h1>
		<p>
			{#if data.of}{formatMoment(data.of.info.created_at, schema.model.zone)}{data.of.info
					.created_by
					? `, ${data.of.info.created_by}`
					: ''}: {data.of.info.note}
			{:else}As it stands on {formatMoment(new Date().toISOString(), schema.model.zone)}; not in
				force.{/if}
		</p>
		<p class="mono">
			{#if hash}SHA-256 {hash}{:else}The draft has edits that are not stored yet.{/if}
		</p>
	</header>
	{#each types as t (t.type.id)}
		{#if t.fields.length}
			<section>
				<h2>{t.type.label}</h2>
				{#each t.fields as f (f.id)}
					<h3>{f.label}</h3>
					{#each f.rules as r, i (r.id)}
						<div class="rule" id="rule-{r.id}">
							<h4>{i + 1}. {r.name}</h4>
							{#if r.why}<p class="why">{r.why}</p>{/if}
							<dl>
								{#each parts(r) as p (p.key)}<div>
										<dt>{p.label}</dt>
										<dd>{p.text}</dd>
									</div>{/each}
							</dl>
						</div>
					{/each}
				{/each}
			</section>
		{/if}
	{/each}
	{#if set.definitions?.length}
		<section>
			<h2>Definitions</h2>
			{#each set.definitions as d (d.id)}
				<div class="rule">
					<h4>{d.name}({d.params.map((p) => p.name).join(', ')})</h4>
					<p class="why">{d.why}</p>
					<p class="mono">
						{readFormula(d.body, {
							schema,
							type: d.type,
							variables: d.params.map((p) => ({ name: p.name, ty: { t: 'any' } }))
						}).text}
					</p>
				</div>
			{/each}
		</section>
	{/if}
	{#if set.tables?.length}
		<section>
			<h2>Reference tables</h2>
			{#each set.tables as t (t.id)}
				{@const [head, ...rows] = tableToCells(t, schema)}
				<h3>{t.label}</h3>
				<p class="why">
					{t.why}{#if t.living}
						Its rows are edited in force, by whoever keeps them, and are no part of this release.{/if}
				</p>
				<table>
					<thead
						><tr
							>{#each head as h, i (i)}<th>{h}</th>{/each}</tr
						></thead
					>
					<tbody>
						{#each rows.slice(0, MOST_ROWS) as r, i (i)}<tr>
								{#each r as c, k (k)}<td>{c}</td>{/each}
							</tr>{/each}
					</tbody>
				</table>
				{#if rows.length > MOST_ROWS}<p class="why">
						{MOST_ROWS} of {rows.length} rows; the file of the release has all of them.
					</p>{/if}
			{/each}
		</section>
	{/if}
	<footer>
		{#each ['Author', 'Released by', 'Seen by'] as who (who)}
			<div><span></span>{who}, date</div>
		{/each}
	</footer>
</article>

<style>
	.paper {
		max-width: 820px;
		padding: 20px 32px 48px;
		background: var(--color-sheet);
		font-size: 13px;
	}
	h1 {
		font-size: 22px;
	}
	h2 {
		margin-top: 22px;
		padding-bottom: 3px;
		font-size: 17px;
		border-bottom: 1px solid var(--color-ink);
	}
	h3 {
		margin-top: 12px;
		font-size: 14px;
	}
	h4 {
		font-weight: 600;
	}
	.rule {
		margin: 6px 0 8px 12px;
		break-inside: avoid;
	}
	.why {
		color: var(--color-quiet);
	}
	dl > div {
		display: grid;
		grid-template-columns: 200px minmax(0, 1fr);
		gap: 12px;
		padding: 1px 0;
	}
	dt {
		color: var(--color-quiet);
	}
	dd {
		overflow-wrap: anywhere;
	}
	table {
		margin-top: 4px;
		border-collapse: collapse;
	}
	th,
	td {
		padding: 2px 10px 2px 0;
		text-align: left;
		border-bottom: 1px solid var(--color-hairline);
	}
	footer {
		display: flex;
		gap: 32px;
		margin-top: 56px;
		break-inside: avoid;
	}
	footer > div {
		flex: 1;
		font-size: 12px;
	}
	footer span {
		display: block;
		height: 32px;
		margin-bottom: 3px;
		border-bottom: 1px solid var(--color-ink);
	}
</style>
