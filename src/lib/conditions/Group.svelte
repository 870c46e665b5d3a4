<script lang="ts">
	/** A group of conditions: rows, formulas and groups that hold all, any or none. */
	import type {
		ConditionGroup,
		ConditionItem,
		ConditionPath,
		ConditionRow,
		Expr,
		Formula,
		Schema
	} from '$core';
	import {
		HOLE,
		conditionItemTree,
		conditionLeaves,
		openRow,
		relationOf,
		withAdded,
		withHow,
		withItem,
		withoutItem
	} from '$core';
	import { BOOLEAN, bare, readFormula, type Ty } from '$core/feel/language';
	import { Reorder } from '../grid/reorder.svelte';
	import FormulaInput from '../inputs/FormulaInput.svelte';
	import Word from '../words/Word.svelte';
	import { useWorkbench } from '../work/workbench.svelte';
	import { formatValue } from '../words/format';
	import Group from './Group.svelte';
	import Row from './Row.svelte';
	import { verdictOf, type SeenPart } from './verdict';

	let {
		list,
		path,
		schema,
		type,
		item,
		label,
		parts,
		fresh,
		disabled,
		onchange,
		onadded
	}: {
		/** The whole list, and the place of this group in it. */
		list: ConditionGroup;
		path: ConditionPath;
		schema: Schema;
		type: string;
		item: boolean;
		label: string;
		/** What each row made of the sample, in the order of the rows. */
		parts: readonly SeenPart[] | null;
		/** Place of the row that was just added. */
		fresh: string | null;
		disabled: boolean;
		onchange: (list: ConditionGroup) => void;
		onadded: (place: string | null) => void;
	} = $props();

	const w = useWorkbench();
	const group = $derived.by(() => {
		let g = list;
		for (const i of path) g = g.items[i] as ConditionGroup;
		return g;
	});
	const rows = $derived(conditionLeaves(list));
	const key = (p: ConditionPath) => p.join('.');
	const at = (i: number) => [...path, i];

	function verdict(leaf: ConditionItem) {
		if (!parts || leaf.k === 'group') return null;
		const i = rows.indexOf(leaf);
		const part = parts.length === rows.length ? parts[i] : undefined;
		if (!part || (leaf.k === 'row' && leaf.subject.k === 'hole')) return null;
		const counts = leaf.k === 'row' && relationOf(leaf.relation).blank === 'holds';
		return verdictOf(part, schema, (f, v) => formatValue(f, v, schema, w.titles.all), counts);
	}

	function menu(i: number, what: 'copy' | 'up' | 'down' | 'group' | 'remove') {
		const here = group.items[i];
		if (what === 'remove') return onchange(withoutItem(list, at(i)));
		if (what === 'copy') return onchange(withAdded(list, path, here, i + 1));
		if (what === 'group') {
			onchange(withItem(list, at(i), { k: 'group', how: 'any', items: [here, openRow()] }));
			return onadded(key([...at(i), 1]));
		}
		const to = what === 'up' ? i - 1 : i + 1;
		if (to < 0 || to >= group.items.length) return;
		onchange(withAdded(withoutItem(list, at(i)), path, here, to));
	}
	function add(what: 'row' | 'group' | 'formula') {
		const n = group.items.length;
		const items: Record<typeof what, ConditionItem> = {
			row: openRow(),
			group: { k: 'group', how: 'any', items: [openRow()] },
			formula: { k: 'formula', of: HOLE }
		};
		onchange(withAdded(list, path, items[what]));
		onadded(what === 'row' ? key(at(n)) : what === 'group' ? key([...at(n), 0]) : null);
	}
	/** Rows stand for their places: what is dragged is only looked at until it is let go. */
	const order = new Reorder<{ id: string }>({
		items: () => group.items.map((_, i) => ({ id: String(i) })),
		label: () => label,
		disabled: () => disabled,
		move: (from, to) => {
			onchange(withAdded(withoutItem(list, at(from)), path, group.items[from], to));
			// places have no identity that goes with what was moved: the focus does
			if (whole?.contains(document.activeElement))
				setTimeout(() =>
					whole
						?.querySelector<HTMLElement>(`:scope > div > [data-dragged="${to}"] > .grip`)
						?.focus()
				);
		}
	});
	let whole = $state<HTMLElement>();
	const HOW = [
		{ value: 'all', label: 'all' },
		{ value: 'any', label: 'any' },
		{ value: 'none', label: 'none' }
	];
	/** What a formula of a filter may speak of besides: the record that is asked. */
	const ITEM = (): { name: string; ty: Ty }[] => [{ name: 'item', ty: { t: 'record', type } }];
	/** Place of the formula that is typed: it stays one while it is, whatever it comes to say. */
	let typing = $state<string | null>(null);
	const textOf = (it: ConditionItem): Formula => {
		const e = conditionItemTree(it);
		return e.k === 'hole' ? { text: e.v ?? '' } : { expr: e };
	};
	function typedFormula(i: number, f: Formula) {
		typing = key(at(i));
		const about = { schema, type, ...(item ? { variables: ITEM() } : {}) };
		const tree = 'expr' in f ? f.expr : readFormula(f, about).compiled?.expr;
		// what cannot be read yet is kept as it was typed
		const of: Expr = tree ?? { k: 'hole', v: 'text' in f ? f.text : '' };
		onchange(withItem(list, at(i), { k: 'formula', of: bare(of) }));
	}
</script>

<div class="group" bind:this={whole}>
	{#if path.length || group.items.length > 1}
		<p class="how text-sm text-quiet">
			<Word
				label="{label}: how many must hold"
				value={group.how}
				choices={HOW}
				{disabled}
				onpick={(how) => onchange(withHow(list, path, how as ConditionGroup['how']))}
			/>
			of these {group.how === 'any' || group.how === 'all' ? 'hold' : 'holds'}
		</p>
	{/if}
	<div use:order.zone={!disabled && group.items.length > 1}>
		{#each order.shown as place, shownAt (place.id)}
			{@const i = Number(place.id)}
			{@const it = group.items[i]}
			<div class="flex items-start" data-dragged={place.id}>
				{#if !disabled && group.items.length > 1}<span
						class="grip text-quiet"
						{...order.handle(shownAt, `condition ${i + 1}`)}>⠿</span
					>{/if}
				<div class="min-w-0 grow">
					{#if it}
						{@const v = verdict(it)}
						{@const typed = typing === key(at(i))}
						{#if it.k === 'row' && !typed}
							<Row
								row={it}
								{schema}
								{type}
								{item}
								label="{label} {key(at(i).map((n) => n + 1))}"
								verdict={v}
								fresh={fresh === key(at(i))}
								{disabled}
								onchange={(row: ConditionRow) => onchange(withItem(list, at(i), row))}
								onmenu={(what) => menu(i, what)}
							/>
						{:else if it.k === 'group' && !typed}
							<Group
								{list}
								path={at(i)}
								{schema}
								{type}
								{item}
								label="{label} {key(at(i).map((n) => n + 1))}"
								{parts}
								{fresh}
								{disabled}
								{onchange}
								{onadded}
							/>
						{:else}
							<div class="flex items-start gap-2" onfocusout={() => (typing = null)}>
								<div class="grow">
									<FormulaInput
										label="{label} {key(at(i).map((n) => n + 1))}: formula"
										formula={textOf(it)}
										{schema}
										{type}
										variables={item ? ITEM() : undefined}
										expected={BOOLEAN}
										disabled={disabled || item}
										onchange={(f) => typedFormula(i, f)}
									/>
								</div>
								{#if v}<span
										class="pt-2 text-sm {v.is === 'holds'
											? 'text-teal'
											: v.is === 'does not'
												? 'text-brick'
												: 'text-ochre'}"
										data-testid="verdict"
										>{v.is === 'holds' ? '✓' : v.is === 'does not' ? '✕' : '?'} {v.said}</span
									>{/if}
								{#if !disabled}<button
										class="textlink pt-1 text-sm"
										onclick={() => menu(i, 'remove')}>remove</button
									>{/if}
							</div>
						{/if}
					{/if}
				</div>
			</div>
		{/each}
	</div>
	{#if !disabled}
		<p class="flex flex-wrap gap-4 text-sm text-quiet">
			<button class="textlink" onclick={() => add('row')} aria-label="{label}: add a condition"
				>condition</button
			>
			{#if path.length < 3}<button
					class="textlink"
					onclick={() => add('group')}
					aria-label="{label}: add a group">group</button
				>{/if}
			<button class="textlink" onclick={() => add('formula')} aria-label="{label}: add a formula"
				>formula</button
			>
		</p>
	{/if}
</div>

<style>
	.group {
		border-left: 2px solid var(--color-teal);
		padding-left: 10px;
	}
	.group :global(.group) {
		margin: 4px 0 4px 6px;
	}
	.grip {
		display: inline-grid;
		place-items: center;
		min-width: 24px;
		min-height: 32px;
		margin-left: -8px;
		cursor: grab;
	}
	.how {
		padding: 2px 0;
	}
</style>
