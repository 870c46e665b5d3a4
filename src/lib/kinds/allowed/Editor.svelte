<script lang="ts">
	/** Every option of the choice that limits, with the options it allows. */
	import type { BodyOf } from '$core';
	import { own } from '$core';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';

	let { rule, body, disabled }: EditorProps<BodyOf<'allowed'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'allowed');
	const source = $derived(w.schema.field(rule.type, body.input));
	const options = $derived(w.openOptions(rule.type, rule.outputs[0]?.field ?? ''));

	const allow = (row: string, option: string) =>
		set('allowed options', (b) => {
			const had = own(b.rows, row) ?? [];
			const next = options
				.map((o) => o.id)
				.filter((id) => (id === option ? !had.includes(id) : had.includes(id)));
			const { [row]: _gone, ...rest } = b.rows;
			return { ...b, rows: next.length ? { ...rest, [row]: next } : rest };
		});
</script>

{#if source?.list}
	<div class="mt-3 overflow-x-auto">
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
				{#each w.schema.lists.get(source.list)!.options.filter((o) => !o.retired) as r (r.id)}
					{@const row = own(body.rows, r.id)}
					<tr class="border-b border-hairline">
						<th class="py-0.5 pr-4 text-left font-normal whitespace-nowrap">{r.label}</th>
						{#each options as o (o.id)}
							{@const on = row?.includes(o.id) ?? false}
							<td class="p-0 text-center">
								<button
									class="h-7 w-full min-w-8 {on ? 'bg-band-2 text-brass-ink' : 'text-field-line'}"
									{disabled}
									aria-pressed={on}
									aria-label="{r.label} allows {o.label}"
									onclick={() => allow(r.id, o.id)}>{on ? '■' : '·'}</button
								>
							</td>
						{/each}
						<td class="px-2 text-xs whitespace-nowrap text-quiet">{row ? '' : 'no limit'}</td>
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
{:else}<p class="mt-2 text-brick">● Choose the field that limits it.</p>{/if}
