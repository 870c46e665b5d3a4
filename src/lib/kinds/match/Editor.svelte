<script lang="ts">
	/** A match among records: which fields must have which values, what the sample finds, and a look at all records. */
	import type { MatchBody, MatchHow } from '$core';
	import { matchHows } from '$core';
	import { TEXT, typeOfField } from '$core/feel/language';
	import FieldOrFormula from '../../inputs/FieldOrFormula.svelte';
	import { bodyEdit, type EditorProps } from '../view';
	import Choose from '../../inputs/Choose.svelte';
	import FindsLook from '../FindsLook.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';

	let { rule, body, report, disabled }: EditorProps<MatchBody> = $props();

	const w = useWorkbench();
	const begins = w.begun?.rule === (() => rule.id)();
	const target = $derived(w.schema.types.get(body.type)?.type);
	const HOW: Record<MatchHow, string> = {
		loose: 'is, but for case, accents and spaces,',
		exact: 'is exactly',
		domain: 'has the same e-mail domain as'
	};
	const set = bodyEdit(w, () => rule, 'match');
	const edit = (label: string, on: MatchBody['on']) => set(label, (b) => ({ ...b, on }));
	const fields = $derived((target?.fields ?? []).filter((f) => !f.retired && matchHows(f).length));
	function setField(i: number, field: string) {
		const hows = matchHows(w.schema.field(body.type, field)!);
		edit(
			'matched field',
			body.on.map((k, x) =>
				x === i ? { ...k, field, how: hows.includes(k.how) ? k.how : hows[0] } : k
			)
		);
	}
</script>

{#if target}
	<table class="mt-2 w-full text-sm">
		<tbody>
			{#each body.on as k, i (i)}
				{@const f = w.schema.field(body.type, k.field)}
				<tr class="align-top">
					<td class="w-64 py-1 pr-3">
						<span class="text-quiet">{i ? 'and its' : 'Its'}</span>
						<Choose
							label="Field {i + 1} of the {target.label.toLowerCase()}"
							value={k.field}
							{disabled}
							choices={[
								...(f ? [] : [{ value: k.field, label: 'which field?' }]),
								...fields.map((x) => ({ value: x.id, label: x.label }))
							]}
							onpick={(v) => setField(i, v)}
						/>
						<Choose
							label="How field {i + 1} is matched"
							value={k.how}
							{disabled}
							class="mt-1"
							choices={(f ? matchHows(f) : [k.how]).map((how) => ({ value: how, label: HOW[how] }))}
							onpick={(v) =>
								edit(
									'how',
									body.on.map((y, x) => (x === i ? { ...y, how: v as MatchHow } : y))
								)}
						/>
					</td>
					<td class="py-1">
						<FieldOrFormula
							label="What field {i + 1} must be"
							open={begins && i === 0}
							formula={k.value}
							schema={w.schema}
							type={rule.type}
							expected={f && k.how === 'exact' ? typeOfField(f) : TEXT}
							{disabled}
							onchange={(value) =>
								edit(
									`key ${i}`,
									body.on.map((y, x) => (x === i ? { ...y, value } : y))
								)}
						/>
					</td>
					<td class="w-8 py-1 text-right">
						{#if !disabled && body.on.length > 1}<button
								class="textlink px-2"
								aria-label="No longer match by field {i + 1}"
								onclick={() =>
									edit(
										'fewer fields',
										body.on.filter((_, x) => x !== i)
									)}>✕</button
							>{/if}
					</td>
				</tr>
			{/each}
		</tbody>
	</table>
	<div class="flex flex-wrap gap-4 text-sm">
		{#if !disabled && fields.length}<button
				class="textlink"
				onclick={() =>
					edit('another field', [
						...body.on,
						{ field: fields[0].id, how: matchHows(fields[0])[0], value: { text: '' } }
					])}>And by another field</button
			>{/if}
	</div>
	{#if (report?.found?.length ?? 0) > 1}
		<p class="mt-1 text-sm">
			<span class="text-ochre">▲ The sample finds several:</span>
			{#each report!.found! as id, i (id)}{i ? ', ' : ' '}<a
					class="textlink"
					href="/records/{body.type}/{id}">{w.titles.all[`${body.type}.${id}`] ?? `No. ${id}`}</a
				>{/each}
		</p>
	{/if}
	<FindsLook {rule} what="record" href={(id) => `/records/${body.type}/${id}`} />
{:else}
	<p class="mt-2 text-brick">● Choose in the sentence above which records are searched.</p>
{/if}
