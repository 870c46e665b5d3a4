<script lang="ts">
	/** What the place of a rule below others means: whether it meets them, shown by a record, or never does. */
	import type { Between, Field, JsonValue, Rule } from '$core';
	import { formatValue } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		rule,
		field,
		pairs,
		old
	}: {
		rule: Rule;
		field: Field;
		/** Of the rule with each above it. */
		pairs: readonly Between[];
		/** Said of before the last edit, which is looked at. */
		old: boolean;
	} = $props();

	const w = useWorkbench();
	const met = $derived(pairs.flatMap((p) => (p.is === 'order counts' ? [p] : [])));
	const unknown = $derived(pairs.filter((p) => p.is === 'unknown'));
	const same = $derived(pairs.some((p) => p.is === 'same'));
	const name = (id: string) => w.rule(id)?.name ?? id;
	const text = (f: Field, v: JsonValue) =>
		v === null ? 'blank' : formatValue(f, v, w.schema, w.titles.all);
	/** What it gives; a record that was made up has no name. */
	function gives(p: (typeof met)[number], v: JsonValue): string {
		const made = p.shown.near?.some((r) => r.type === field.target && r.id === v);
		return made
			? `a ${w.schema.type(field.target!).type.label.toLowerCase()} made up`
			: text(field, v);
	}
	/** The values of the record that is shown, as far as they fit a line. */
	function values(p: (typeof met)[number]): string {
		const own = Object.entries(p.shown.witness ?? {});
		const near = (p.shown.near ?? []).flatMap((r) =>
			Object.entries(r.values).map(([id, v]) => ({ type: r.type, id, v }))
		);
		return [...own.map(([id, v]) => ({ type: rule.type, id, v })), ...near]
			.flatMap(({ type, id, v }) => {
				const f = w.schema.field(type, id);
				return f && f.type !== 'link' ? [`${f.label} ${text(f, v)}`] : [];
			})
			.slice(0, 4)
			.join(', ');
	}
	const show = (p: (typeof met)[number]) =>
		w.showRecord(
			rule.type,
			p.shown,
			`A ${w.schema.type(rule.type).type.label.toLowerCase()} that both take`
		);
</script>

{#each met.slice(0, 2) as p, n (n)}
	<p class="line" class:old data-testid="order-counts">
		<span class="grow"
			>Where “{name(p.first)}” applies as well, it comes first: with {values(p) || 'a new record'} it
			gives
			<span class="mono">{gives(p, p.gives[0])}</span>, this rule
			<span class="mono">{gives(p, p.gives[1])}</span>.</span
		>
		<button class="textlink whitespace-nowrap" onclick={() => show(p)}>Show it</button>
	</p>
{/each}
{#if !met.length && unknown.length}
	<p class="line" class:old data-testid="order-counts">
		Whether it meets {unknown.map((p) => `“${name(p.first)}”`).join(' or ')} is not known.
	</p>
{:else if !met.length}
	<p class="line" class:old data-testid="order-counts">
		Its place does not matter: {same
			? 'where rules above it apply as well, they give the same.'
			: `${pairs.length > 1 ? 'none of the rules above it ever applies' : `“${name(pairs[0].first)}” never applies`} together with it.`}
	</p>
{/if}

<style>
	.old {
		opacity: 0.55;
	}
	.line {
		display: flex;
		align-items: baseline;
		gap: 12px;
		padding: 6px 16px;
		font-size: 13px;
		color: var(--color-quiet);
		border-bottom: 1px dashed var(--color-line);
	}
</style>
