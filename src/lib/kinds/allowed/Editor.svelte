<script lang="ts">
	/** Every option of the choice that limits, with the options it allows. */
	import type { BodyOf } from '$core';
	import { own } from '$core';
	import { formatCount } from '../../words/format';
	import { cells } from '../../grid/cells';
	import { Pairs } from '../pairs.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';

	let { rule, body, disabled }: EditorProps<BodyOf<'allowed'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'allowed');
	const source = $derived(w.schema.field(rule.type, body.input));
	const options = $derived(w.openOptions(rule.type, rule.outputs[0]?.field ?? ''));

	const rows = $derived(
		source?.list
			? w.schema.lists.get(source.list)!.options.filter((o) => !o.retired || o.id in body.rows)
			: []
	);
	const target = $derived(rule.outputs[0]?.field ?? '');
	const pairs = new Pairs(() =>
		source && target ? { type: rule.type, a: source.id, b: target } : null
	);
	/** What the sample has in the field that limits. */
	const now = $derived.by(() => {
		const at = source && w.schema.type(rule.type).at.get(source.id);
		const v = at === undefined ? null : (w.result?.values[at] ?? null);
		return w.sample?.type === rule.type && typeof v === 'string' ? v : null;
	});

	function allow(row: string, option: string, on: boolean) {
		if ((own(body.rows, row) ?? []).includes(option) === on) return;
		set('allowed options', (b) => {
			const had = own(b.rows, row) ?? [];
			const next = options.map((o) => o.id).filter((id) => (id === option ? on : had.includes(id)));
			const { [row]: _gone, ...rest } = b.rows;
			return { ...b, rows: next.length ? { ...rest, [row]: next } : rest };
		});
	}
	/** Records that hold an option that their row does not allow. */
	const against = (row: string) => {
		const allowed = own(body.rows, row);
		if (!allowed) return 0;
		return options
			.filter((o) => !allowed.includes(o.id))
			.reduce((n, o) => n + pairs.with(row, o.id), 0);
	};
</script>

{#if source?.list}
	<div
		class="mt-3 overflow-x-auto select-none"
		role="group"
		aria-label="{source.label} allows"
		use:cells={(r, c, on) => rows[r] && options[c] && allow(rows[r].id, options[c].id, on)}
	>
		<table class="text-sm">
			<thead>
				<tr>
					<th class="border-b border-line py-1 pr-4 text-left align-bottom font-semibold text-teal"
						>{source.label}</th
					>
					{#each options as o (o.id)}<th
							class="border-b border-line px-1 py-1 align-bottom text-xs font-semibold text-brass-ink"
							>{o.label}</th
						>{/each}
					<th class="border-b border-line"></th>
				</tr>
			</thead>
			<tbody>
				{#each rows as r, ri (r.id)}
					{@const row = own(body.rows, r.id)}
					<tr class="border-b border-hairline" class:now={r.id === now}>
						<th class="py-0.5 pr-4 text-left font-normal whitespace-nowrap"
							>{r.label}{r.retired ? ' (retired)' : ''}</th
						>
						{#each options as o, ci (o.id)}
							{@const on = row?.includes(o.id) ?? false}
							{@const n = pairs.with(r.id, o.id)}
							<td class="p-0 text-center">
								<button
									class="h-8 w-full min-w-10 leading-none {on
										? 'bg-band-2 text-brass-ink'
										: 'text-field-line'}"
									data-r={ri}
									data-c={ci}
									{disabled}
									aria-pressed={on}
									aria-label="{r.label} allows {o.label}{n ? `, ${n} records` : ''}"
									onclick={() => allow(r.id, o.id, !on)}
									>{on ? '■' : '·'}<span
										class="mono block min-h-2.5 text-[10px] {on ? 'text-ink' : 'text-quiet'}"
										>{n ? formatCount(n) : ''}</span
									></button
								>
							</td>
						{/each}
						<td class="px-2 text-xs whitespace-nowrap text-quiet"
							>{row ? '' : 'no limit'}{#if against(r.id)}<span
									title="values that are held and would not be allowed"
									>{formatCount(against(r.id))} held otherwise</span
								>{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
{:else}<p class="mt-2 text-brick">● Choose the field that limits it.</p>{/if}

<style>
	.now th {
		box-shadow: inset 3px 0 0 var(--color-teal);
		padding-left: 8px;
	}
</style>
