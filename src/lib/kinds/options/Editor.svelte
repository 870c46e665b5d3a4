<script lang="ts">
	/** A grid for each output: every option on both sides at once. */
	import type { BodyOf, JsonValue } from '$core';
	import { own, withoutResult } from '$core';
	import { NONE_LABEL } from '../../words/format';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';
	import Tried from '../../trials/Tried.svelte';
	import OptionGrid from './OptionGrid.svelte';

	type Options = BodyOf<'options'>;

	let { rule, body, field, disabled }: EditorProps<Options> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'options');

	/** The part of an option map that one output has, and the map with that part changed. */
	const ofOutput = (b: Options, i: number): Options => ({
		...b,
		rows: Object.fromEntries(
			Object.entries(b.rows)
				.filter(([, v]) => i < v.length)
				.map(([k, v]) => [k, [v[i]]])
		),
		blank: b.blank && 'give' in b.blank ? { give: [b.blank.give[i] ?? null] } : b.blank
	});
	function withPart(b: Options, part: Options, i: number, width: number): Options {
		const put = (had: JsonValue[] | undefined, v: JsonValue) =>
			Array.from({ length: width }, (_, k) => (k === i ? v : (had?.[k] ?? null)));
		const keys =
			width === 1
				? Object.keys(part.rows)
				: [...new Set([...Object.keys(b.rows), ...Object.keys(part.rows)])];
		const had = b.blank && 'give' in b.blank ? b.blank.give : undefined;
		return {
			...part,
			...(part.nothing?.length ? {} : { nothing: undefined }),
			rows: Object.fromEntries(
				keys.map((k) => [k, put(own(b.rows, k), own(part.rows, k)?.[0] ?? null)])
			),
			blank:
				part.blank && 'give' in part.blank
					? { give: put(had, part.blank.give[0] ?? null) }
					: part.blank
		};
	}
</script>

{#each rule.outputs as o, i (o.id)}
	{#if rule.outputs.length > 1}<p class="mt-2 text-xs text-quiet">
			{w.schema.field(rule.type, o.field)?.label ?? o.field}
		</p>{/if}
	<OptionGrid
		body={ofOutput(body, i)}
		schema={w.schema}
		type={rule.type}
		target={w.schema.field(rule.type, o.field) ?? field}
		sample={w.sampleValue(rule.type, body.input)}
		none={NONE_LABEL[withoutResult(w.plan, rule, o)]}
		{disabled}
		onchange={(label, part) => set(label, (b, r) => withPart(b, part, i, r.outputs.length))}
		>{#snippet mark(part)}<Tried rule={rule.id} {part} />{/snippet}</OptionGrid
	>
{/each}
