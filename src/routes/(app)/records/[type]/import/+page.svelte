<script lang="ts">
	import { enhance } from '$app/forms';
	import { formatCount, formatValue } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { params, form } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(params.type).type);
	const EXAMPLE = 'Trading name,Country,Headcount\nSaltmarsh Peppers,Netherlands,51';
	let busy = $state(false);
	const ruled = $derived(
		type.fields.filter((f) =>
			w.force.set.rules.some(
				(r) =>
					r.type === type.id &&
					r.outputs.some((o) => o.field === f.id && o.hold !== 'locked' && !o.closed)
			)
		)
	);
	const label = (id: string) => w.schema.field(type.id, id)?.label ?? id;
	const say = (id: string, v: import('$core').JsonValue) => {
		const f = w.schema.field(type.id, id);
		return f ? formatValue(f, v, w.schema) || 'blank' : String(v);
	};
</script>

<svelte:head><title>Import {type.plural.toLowerCase()} · Rigid Rule</title></svelte:head>

<div class="max-w-5xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Import {type.plural.toLowerCase()}</h1>
	<p class="text-quiet">
		A CSV file whose first line names the fields. A column <span class="mono">No.</span> names records
		to change; rows without a number make new ones. Each row is a change of its own: a refused row harms
		no other.
	</p>
	<form
		method="POST"
		enctype="multipart/form-data"
		class="mt-3 border border-line bg-sheet p-5"
		use:enhance={() => {
			busy = true;
			return async ({ update }) => {
				await update({ reset: false });
				busy = false;
			};
		}}
	>
		<label class="block text-sm font-medium" for="file">File</label>
		<input
			id="file"
			name="file"
			type="file"
			accept=".csv,text/csv,text/plain"
			class="box mt-1 block"
		/>
		<label class="mt-3 block text-sm font-medium" for="text">or paste it here</label>
		<textarea
			id="text"
			name="text"
			rows="6"
			class="box mono mt-1 w-full"
			placeholder={EXAMPLE}
			value={form?.text ?? ''}></textarea>
		{#if ruled.length}
			<fieldset class="mt-3">
				<legend class="text-sm font-medium"
					>Keep what the file says, against rules that follow, in</legend
				>
				{#each ruled as f (f.id)}<label class="mr-4 inline-flex min-h-7 items-center gap-1 text-sm"
						><input type="checkbox" name="keep" value={f.id} /> {f.label}</label
					>{/each}
			</fieldset>
		{/if}
		<button class="button main mt-3" disabled={busy}>{busy ? 'Importing …' : 'Import'}</button>
		{#if form?.message}<p class="mt-2 text-brick" role="alert">● {form.message}</p>{/if}
	</form>

	{#if form && 'rows' in form && form.rows}
		<h2 class="mt-5" role="status">
			{formatCount(form.total - form.refused)} of {formatCount(form.total)} rows taken over{form.refused
				? `, ${form.refused} refused`
				: ''}
		</h2>
		<div class="ticks mt-1"></div>
		<table class="grid-table text-sm">
			<thead
				><tr
					><th class="text-right">Line</th><th>Outcome</th><th>Written by rules</th><th
						>Set aside</th
					></tr
				></thead
			>
			<tbody>
				{#each form.rows as r (r.line)}
					<tr>
						<td class="mono text-right">{r.line}</td>
						<td>
							{#if r.outcome}
								<a class="textlink" href="/records/{type.id}/{r.outcome.id}"
									>{r.outcome.created
										? 'created'
										: r.outcome.changes.length
											? 'changed'
											: 'no change'} <span class="mono pl-1">{r.outcome.id}</span></a
								>
							{:else}<span class="text-brick">● refused:</span>
								{r.faults.map((x) => x.message).join(' ')}{/if}
						</td>
						<td
							>{#each r.outcome?.changes.filter((c) => c.rule) ?? [] as c (c.field)}<div>
									{label(c.field)} <span class="mono text-brass-ink">{say(c.field, c.to)}</span>
									<span class="text-quiet">because {c.because}</span>
								</div>{/each}{#each r.outcome?.nothing ?? [] as n (n.field)}<div class="text-quiet">
									{label(n.field)}: nothing, because {n.because}
								</div>{/each}</td
						>
						<td
							>{#each r.outcome?.setAside ?? [] as s (s.field)}<div>
									<span class="text-ochre">▲</span>
									{label(s.field)} <span class="mono">{say(s.field, s.sent)}</span>; only “{s.rule}”
									sets it
								</div>{/each}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
		{#if form.total > form.rows.length}<p class="mt-1 text-sm text-quiet">
				The first {form.rows.length} rows are shown.
			</p>{/if}
	{/if}
</div>
