<script lang="ts">
	/** What belongs to a Validate rule below its sentence: condition and message, options left, or the grid of allowed options. */
	import { BOOLEAN } from '$core/feel/types';
	import type { Body, Rule } from '$core/model/rules';
	import FormulaInput from './FormulaInput.svelte';
	import TemplateInput from './TemplateInput.svelte';
	import { useWorkbench } from './workbench.svelte';

	let {
		rule,
		margin,
		disabled
	}: { rule: Rule; /** What the check says of the sample. */ margin: string; disabled: boolean } =
		$props();

	const w = useWorkbench();
	const set = (label: string, body: Body) => w.editRule(label, rule.id, (r) => ({ ...r, body }));
	const target = $derived(w.schema.field(rule.type, rule.outputs[0]?.field ?? ''));
	const options = $derived(
		(target?.list ? w.schema.lists.get(target.list)!.options : []).filter((o) => !o.retired)
	);

	function allow(row: string, option: string) {
		if (rule.body.kind !== 'allowed') return;
		const had = rule.body.rows[row] ?? [];
		const next = options
			.map((o) => o.id)
			.filter((id) => (id === option ? !had.includes(id) : had.includes(id)));
		const { [row]: _gone, ...rest } = rule.body.rows;
		set('allowed options', { ...rule.body, rows: next.length ? { ...rest, [row]: next } : rest });
	}
</script>

{#if rule.body.kind === 'check'}
	{@const body = rule.body}
	<FormulaInput
		label="What must hold for {rule.name}"
		formula={body.holds}
		schema={w.schema}
		type={rule.type}
		expected={BOOLEAN}
		{margin}
		{disabled}
		onchange={(f) => set('check', { ...body, holds: f })}
	/>
	<p class="mt-2 text-xs text-quiet">Message; a formula in braces shows its value</p>
	<TemplateInput
		label="Message of {rule.name}"
		template={body.message}
		schema={w.schema}
		type={rule.type}
		{disabled}
		onchange={(message) => set('message', { ...body, message })}
	/>
{:else if rule.body.kind === 'state' && rule.body.state === 'limited'}
	{@const body = rule.body}
	<fieldset class="mt-2" {disabled}>
		<legend class="text-xs text-quiet">Options left</legend>
		{#each options as o (o.id)}
			<label class="mr-4 inline-flex min-h-7 items-center gap-1">
				<input
					type="checkbox"
					checked={body.options.includes(o.id)}
					onchange={() =>
						set('options left', {
							...body,
							options: options
								.map((x) => x.id)
								.filter((id) =>
									id === o.id ? !body.options.includes(id) : body.options.includes(id)
								)
						})}
				/>
				{o.label}
			</label>
		{:else}<p class="text-brick">● This field has no options to limit.</p>{/each}
	</fieldset>
{:else if rule.body.kind === 'allowed'}
	{@const body = rule.body}
	{@const source = w.schema.field(rule.type, body.input)}
	{#if source?.list}
		<div class="mt-3 overflow-x-auto">
			<table class="text-sm">
				<thead>
					<tr>
						<th
							class="border-b border-line py-1 pr-4 text-left align-bottom font-semibold text-teal"
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
						{@const row = body.rows[r.id]}
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
{/if}
