<script lang="ts">
	/** If … then …, a case a row; the one that decides for the sample is marked. */
	import type { CaseGives, CasesBody, Field, Formula } from '$core';
	import { HOLE, sayCondition, withoutResult } from '$core';
	import { readFormula } from '$core/feel/language';
	import { DropdownMenu } from 'bits-ui';
	import EllipsisVertical from '@lucide/svelte/icons/ellipsis-vertical';
	import { untrack } from 'svelte';
	import ConditionList from '../../conditions/ConditionList.svelte';
	import { Reorder } from '../../grid/reorder.svelte';
	import { NONE_LABEL } from '../../words/format';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';
	import Tried from '../../trials/Tried.svelte';
	import Gives from './Gives.svelte';

	type Row = CasesBody['rows'][number];
	let { rule, body, report, disabled }: EditorProps<CasesBody> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'cases');
	const taken = $derived(report?.row);
	const outputs = $derived(
		rule.outputs.flatMap((o): { id: string; field: Field; i: number }[] => {
			const field = w.schema.field(rule.type, o.field);
			return field ? [{ id: o.id, field, i: rule.outputs.indexOf(o) }] : [];
		})
	);
	/** The case that is written; the others are read. */
	let open = $state<string | null>(
		untrack(() => (body.rows.length === 1 && unsaid(body.rows[0]) ? body.rows[0].id : null))
	);
	function unsaid(row: Row) {
		return 'text' in row.when && !row.when.text.trim();
	}
	const freshId = (b: CasesBody) => {
		let n = b.rows.length + 1;
		while (b.rows.some((r) => r.id === `c${n}`)) n++;
		return `c${n}`;
	};
	const put = (id: string, change: (r: Row) => Row) =>
		set('case', (b) => ({ ...b, rows: b.rows.map((r) => (r.id === id ? change(r) : r)) }));
	const given = (gs: readonly CaseGives[], i: number): CaseGives => gs[i] ?? { expr: HOLE };
	const withGiven = (gs: readonly CaseGives[], i: number, g: CaseGives) =>
		rule.outputs.map((_, k) => (k === i ? g : given(gs, k)));
	function add() {
		const id = freshId(body);
		set('case', (b) => ({
			...b,
			rows: [...b.rows, { id, when: { text: '' }, then: rule.outputs.map(() => ({ expr: HOLE })) }]
		}));
		open = id;
	}
	function copy(row: Row) {
		const id = freshId(body);
		set('copy case', (b) => ({
			...b,
			rows: b.rows.toSpliced(b.rows.findIndex((r) => r.id === row.id) + 1, 0, { ...row, id })
		}));
		open = id;
	}
	const move = (from: number, to: number) =>
		set('order of cases', (b) => {
			const rows = [...b.rows];
			rows.splice(to, 0, ...rows.splice(from, 1));
			return { ...b, rows };
		});
	const order = new Reorder<Row>({
		items: () => body.rows,
		label: () => `the cases of ${rule.name}`,
		disabled: () => disabled,
		move
	});
	const none = $derived(
		rule.outputs[0] ? NONE_LABEL[withoutResult(w.plan, rule, rule.outputs[0])] : ''
	);
	const outcomes = $derived([
		{ value: 'nothing' as const, label: `nothing: it ${none}` },
		...(rule.outputs.some((o) => o.hold === 'locked')
			? []
			: [{ value: 'leave' as const, label: 'leave the field as it is' }]),
		{ value: 'clear' as const, label: 'clear the field' }
	]);
	function words(f: Formula) {
		const r = readFormula(f, { schema: w.schema, type: rule.type });
		if (!r.compiled) return r.text || 'what? …';
		return sayCondition(r.compiled.expr, w.schema, w.sayValue);
	}
	const SAID: Record<string, string> = { true: '✓', false: '✕', null: '?' };
	const branch = (k: number) => report?.branches?.[k];
	/** The rows of its condition at the sample are known where it was asked. */
	const blankOf = (k: number) => {
		const b = branch(k);
		const blank = b?.result === null ? b.values.find((v) => v.value === null) : undefined;
		return blank ? (w.schema.field(blank.type, blank.field)?.label ?? '') : '';
	};
</script>

<div class="cases" role="group" aria-label="Cases of {rule.name}">
	<div use:order.zone={!disabled}>
		{#each order.shown as row, k (row.id)}
			<div class="case" class:here={taken === k} data-case={k + 1}>
				<div class="flex items-start gap-2">
					{#if !disabled && body.rows.length > 1}<span
							class="mono inline-block min-h-6 min-w-6 cursor-grab text-quiet"
							{...order.handle(k, `case ${k + 1}`)}>{k + 1}</span
						>{:else}<span class="mono min-w-6 text-quiet">{k + 1}</span>{/if}
					<Tried rule={rule.id} part={String(k)} />
					<div class="min-w-0 grow">
						{#if open === row.id && !disabled}
							<span class="text-quiet">{k ? 'else if' : 'if'}</span>
							<ConditionList
								label="Case {k + 1} of {rule.name}"
								formula={unsaid(row) ? null : row.when}
								schema={w.schema}
								type={rule.type}
								nothing="Nothing is asked yet."
								begin={unsaid(row)}
								onchange={(f) => put(row.id, (r) => ({ ...r, when: f ?? { text: '' } }))}
							/>
						{:else}
							<span class="text-quiet">{k ? 'else if' : 'if'}</span>
							{#if disabled}{words(row.when)}{:else}<button
									class="word"
									aria-label="Case {k + 1}: {words(row.when)}"
									onclick={() => (open = row.id)}>{words(row.when)}</button
								>{/if}
						{/if}
						{#if branch(k) && (open !== row.id || disabled)}<span
								class="pl-1 {branch(k)!.result === true
									? 'text-teal'
									: branch(k)!.result === false
										? 'text-brick'
										: 'text-ochre'}"
								>{SAID[String(branch(k)!.result)]}
								{blankOf(k) ? `${blankOf(k)} is blank` : ''}</span
							>{/if}
						{#each outputs as o (o.id)}
							<div class="then">
								<span class="text-quiet"
									>then {outputs.length > 1 ? `${o.field.label} gets` : ''}</span
								>
								<Gives
									given={given(row.then, o.i)}
									field={o.field}
									schema={w.schema}
									type={rule.type}
									label="Case {k + 1}: what {o.field.label} gets"
									{outcomes}
									{disabled}
									onchange={(g) => put(row.id, (r) => ({ ...r, then: withGiven(r.then, o.i, g) }))}
								/>
							</div>
						{/each}
					</div>
					{#if taken === k}<span class="text-xs font-semibold text-brass-ink">← the sample</span
						>{/if}
					{#if !disabled}
						<DropdownMenu.Root>
							<DropdownMenu.Trigger
								class="grid size-6 shrink-0 place-items-center text-quiet hover:bg-band-1"
								aria-label="More for case {k + 1}"
								><EllipsisVertical size={15} aria-hidden="true" /></DropdownMenu.Trigger
							>
							<DropdownMenu.Portal>
								<DropdownMenu.Content
									align="end"
									class="menu z-50 min-w-44 border border-ink bg-sheet py-1"
								>
									<DropdownMenu.Item class="item" onSelect={() => copy(row)}>Copy</DropdownMenu.Item
									>
									<DropdownMenu.Item class="item" disabled={k === 0} onSelect={() => move(k, k - 1)}
										>Move up</DropdownMenu.Item
									>
									<DropdownMenu.Item
										class="item"
										disabled={k === body.rows.length - 1}
										onSelect={() => move(k, k + 1)}>Move down</DropdownMenu.Item
									>
									<DropdownMenu.Item
										class="item"
										onSelect={() =>
											set('remove case', (b) => ({
												...b,
												rows: b.rows.filter((r) => r.id !== row.id)
											}))}>Remove</DropdownMenu.Item
									>
								</DropdownMenu.Content>
							</DropdownMenu.Portal>
						</DropdownMenu.Root>
					{/if}
				</div>
			</div>
		{/each}
	</div>
	<div class="case" class:here={taken === 'otherwise'} data-case="otherwise">
		{#each outputs as o (o.id)}
			<div class="flex flex-wrap items-baseline gap-2 pl-8">
				<Tried rule={rule.id} part="otherwise" />
				<span class="text-quiet">otherwise {outputs.length > 1 ? `${o.field.label} gets` : ''}</span
				>
				<Gives
					given={given(body.otherwise, o.i)}
					field={o.field}
					schema={w.schema}
					type={rule.type}
					label="Otherwise: what {o.field.label} gets"
					{outcomes}
					{disabled}
					onchange={(g) =>
						set('otherwise', (b) => ({ ...b, otherwise: withGiven(b.otherwise, o.i, g) }))}
				/>
				{#if taken === 'otherwise'}<span class="ml-auto text-xs font-semibold text-brass-ink"
						>← the sample</span
					>{/if}
			</div>
		{/each}
	</div>
	{#if !disabled}<button class="textlink text-sm" onclick={add}>Add a case</button>{/if}
</div>

<style>
	.cases {
		margin-top: 6px;
	}
	.case {
		border-top: 1px solid var(--color-hairline);
		padding: 4px 6px;
	}
	.case.here {
		background: var(--color-band-1);
	}
	.then {
		display: flex;
		flex-wrap: wrap;
		align-items: baseline;
		gap: 6px;
		padding-top: 2px;
	}
</style>
