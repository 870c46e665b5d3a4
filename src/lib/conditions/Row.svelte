<script lang="ts">
	/** One row of a condition: [what] [relation] [with what], and what it makes of the sample. */
	import { DropdownMenu } from 'bits-ui';
	import EllipsisVertical from '@lucide/svelte/icons/ellipsis-vertical';
	import type { ConditionRow, Expr, Schema } from '$core';
	import {
		fieldOfSubject,
		isOwnField,
		kindOfSubject,
		relationOf,
		relationsFor,
		sayWay,
		withOperand,
		withRelation,
		withSubject
	} from '$core';
	import FieldPick from '../inputs/FieldPick.svelte';
	import SearchPick from '../inputs/SearchPick.svelte';
	import ConditionList from './ConditionList.svelte';
	import Operand from './Operand.svelte';
	import type { OperandMode } from './mode';
	import type { Verdict } from './verdict';

	let {
		row,
		schema,
		type,
		item,
		label,
		verdict,
		fresh,
		disabled,
		onchange,
		onmenu
	}: {
		row: ConditionRow;
		schema: Schema;
		type: string;
		item: boolean;
		/** Which row it is, for those who do not see the list. */
		label: string;
		verdict: Verdict | null;
		/** Just added: its first word is open. */
		fresh: boolean;
		disabled: boolean;
		onchange: (row: ConditionRow) => void;
		onmenu: (what: 'copy' | 'up' | 'down' | 'group' | 'remove') => void;
	} = $props();

	const relation = $derived(relationOf(row.relation));
	const field = $derived(fieldOfSubject(row.subject, schema));
	const kind = $derived(kindOfSubject(row.subject, schema));
	const relations = $derived(kind ? relationsFor(kind, isOwnField(row.subject)) : []);
	const filterAt = $derived(relation.operands.findIndex((o) => o.kind === 'filter'));
	const related = $derived(row.subject.k === 'related' ? row.subject.type : null);
	/** Where something is compared with more than values that are picked. */
	let modes = $state<Record<number, OperandMode>>({});
	const comparable = $derived(
		relation.operands.flatMap((o, i) => (o.kind === 'value' || o.kind === 'count' ? [i] : []))
	);
	function compareWith(mode: OperandMode) {
		for (const i of comparable) modes[i] = mode;
		let next = row;
		for (const i of comparable) next = withOperand(next, i, []);
		onchange(next);
	}
	const filter = $derived.by((): Expr | null => {
		const f = filterAt < 0 ? undefined : row.operands[filterAt][0];
		return !f || (f.k === 'bool' && f.v) ? null : f;
	});
	const SIGN = { holds: '✓', 'does not': '✕', unknown: '?' };
	const said = $derived(sayWay(row.subject, schema));
</script>

<div class="row" role="group" aria-label={label}>
	{#if !disabled}
		<DropdownMenu.Root>
			<DropdownMenu.Trigger
				class="grid size-6 shrink-0 place-items-center self-center text-quiet hover:bg-band-1"
				aria-label="More for {label}"
				><EllipsisVertical size={15} aria-hidden="true" /></DropdownMenu.Trigger
			>
			<DropdownMenu.Portal>
				<DropdownMenu.Content
					align="start"
					sideOffset={2}
					class="menu z-50 min-w-56 border border-ink bg-sheet py-1"
				>
					{#if comparable.length}
						<DropdownMenu.Item class="item" onSelect={() => compareWith('field')}
							>Compare with another field</DropdownMenu.Item
						>
						{#if !item}<DropdownMenu.Item class="item" onSelect={() => compareWith('calculation')}
								>Compare with a calculation</DropdownMenu.Item
							>{/if}
						<DropdownMenu.Item class="item" onSelect={() => compareWith('value')}
							>Compare with a value</DropdownMenu.Item
						>
					{/if}
					<DropdownMenu.Item class="item" onSelect={() => onmenu('copy')}>Copy</DropdownMenu.Item>
					<DropdownMenu.Item class="item" onSelect={() => onmenu('up')}>Move up</DropdownMenu.Item>
					<DropdownMenu.Item class="item" onSelect={() => onmenu('down')}
						>Move down</DropdownMenu.Item
					>
					<DropdownMenu.Item class="item" onSelect={() => onmenu('group')}
						>Put into a group</DropdownMenu.Item
					>
					<DropdownMenu.Item class="item" onSelect={() => onmenu('remove')}
						>Remove</DropdownMenu.Item
					>
				</DropdownMenu.Content>
			</DropdownMenu.Portal>
		</DropdownMenu.Root>
	{/if}
	<span class="subject">
		<FieldPick
			value={row.subject}
			{schema}
			{type}
			{item}
			label="{label}: what it asks about"
			open={fresh}
			{disabled}
			class="w-full"
			extra={schema.model.personType
				? [{ label: 'The person making the change', expr: { k: 'env', name: 'person' } }]
				: []}
			onpick={(e) => {
				modes = {};
				onchange(withSubject(row, e, schema));
			}}
		/>
	</span>
	{#if kind}
		<span class="relation">
			<SearchPick
				text={relation.label}
				label="{label}: how {said} is asked about"
				choices={() =>
					relations.map((r) => ({
						id: r.id,
						label: r.label,
						help: r.blank === 'holds' && !r.id.includes('blank') ? 'blank counts' : undefined
					}))}
				{disabled}
				class="w-full"
				onpick={(id) => onchange(withRelation(row, id))}
			/>
		</span>
		{#each relation.operands as o, i (`${relation.id} ${i}`)}
			{#if o.kind !== 'filter'}
				{#if i > 0 && relation.label.includes('…')}<span class="self-center text-quiet"
						>{relation.id === 'changed from to' ? 'to' : 'and'}</span
					>{/if}
				<span class="self-center">
					<Operand
						kind={o.kind}
						exprs={row.operands[i]}
						{field}
						{schema}
						{type}
						{item}
						mode={modes[i]}
						label="{label}: what {said} is compared with{relation.operands.length > 1
							? ` ${i + 1}`
							: ''}"
						{disabled}
						onchange={(xs) => onchange(withOperand(row, i, xs))}
					/>
				</span>
				{#if o.kind === 'days'}<span class="self-center text-quiet">days</span>{/if}
			{/if}
		{/each}
	{/if}
	{#if verdict}
		<span
			class="verdict {verdict.is === 'holds'
				? 'text-teal'
				: verdict.is === 'does not'
					? 'text-brick'
					: 'text-ochre'}"
			data-testid="verdict"
			>{SIGN[verdict.is]}
			<span class="sr-only"
				>{verdict.is === 'holds'
					? 'holds for the sample'
					: verdict.is === 'does not'
						? 'does not hold for the sample'
						: 'cannot be told for the sample'}:</span
			>
			{verdict.said}</span
		>
	{/if}
</div>
{#if filterAt >= 0 && related}
	<div class="ml-8 pb-1">
		<ConditionList
			formula={filter ? { expr: filter } : null}
			{schema}
			type={related}
			item
			label="{label}: which of the {said}"
			nothing="all of them count"
			{disabled}
			onchange={(f) =>
				onchange(withOperand(row, filterAt, [f && 'expr' in f ? f.expr : { k: 'bool', v: true }]))}
		/>
	</div>
{/if}

<style>
	.row {
		display: flex;
		flex-wrap: wrap;
		gap: 4px 6px;
		padding: 3px 0;
	}
	.subject {
		width: 172px;
		align-self: center;
	}
	.relation {
		width: 132px;
		align-self: center;
	}
	.verdict {
		align-self: center;
		font-size: 13px;
		min-width: 0;
	}
</style>
