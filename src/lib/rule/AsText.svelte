<script lang="ts">
	/** A rule in the formula language: its condition, and what it gives as an expression or as rows of tests. */
	import { decisionOf, mapBody, type Formula, type Rule } from '$core';
	import { printTemplate, readFormula } from '$core/feel/language';
	import { useWorkbench } from '../work/workbench.svelte';

	let { rule }: { rule: Rule } = $props();
	const w = useWorkbench();
	const at = $derived((rule.each && w.schema.field(rule.type, rule.each)?.target) || rule.type);
	const textOf = (f: Formula, type: string) =>
		readFormula(f, { schema: w.schema, type }).text || '…';
	const form = $derived(decisionOf(rule, w.schema).form);
	const fields = $derived(
		rule.outputs.map((o) => w.schema.field(rule.type, o.field)?.label ?? o.field)
	);
	/** Of kinds without a form of their own as a decision: each formula and text in its order. */
	const parts = $derived.by(() => {
		const out: string[] = [];
		mapBody(rule, {
			formula: (f, _, about) => {
				out.push(textOf(f, about?.type ?? rule.type));
				return f;
			},
			text: (t) => {
				out.push(printTemplate(t, w.schema));
				return t;
			}
		});
		return out;
	});
</script>

<div class="mt-2 overflow-x-auto border border-line bg-panel p-3 text-sm" data-testid="as-text">
	{#if rule.guard}<p>
			<span class="text-quiet">if</span>
			<code class="mono">{textOf(rule.guard, at)}</code>
		</p>{/if}
	{#if form && 'table' in form}
		<table class="mono text-sm">
			<thead>
				<tr>
					{#each form.table.inputs as x, i (i)}<th class="teal">{x.text}</th>{/each}
					{#each form.table.outputs as o (o.field)}<th class="brass">{o.label}</th>{/each}
				</tr>
			</thead>
			<tbody>
				{#each form.table.rows as r, i (i)}
					<tr>
						{#each r.when as c, k (k)}<td>{c || '-'}</td>{/each}
						{#each r.then as t, k (k)}<td>{t || 'null'}</td>{/each}
					</tr>
				{/each}
			</tbody>
		</table>
	{:else if form}
		<p>
			<span class="text-quiet">{fields.join(', ')} =</span>
			<code class="mono whitespace-pre-wrap">{form.text}</code>
		</p>
	{:else}
		{#each parts as p, i (i)}<p><code class="mono whitespace-pre-wrap">{p}</code></p>{:else}
			<p class="text-quiet">It has no formula.</p>
		{/each}
	{/if}
</div>

<style>
	th,
	td {
		padding: 2px 12px 2px 0;
		text-align: left;
		font-weight: 400;
		vertical-align: top;
	}
	th {
		font-weight: 600;
	}
	.teal {
		color: var(--color-teal);
	}
	.brass {
		color: var(--color-brass-ink);
	}
</style>
