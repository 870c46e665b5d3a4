<script lang="ts">
	/** Ticks the records that a file of keys names: pasted, or taken from a file. */
	import type { FoundByKeys } from '$server/lists/keys';
	import Choose from '../inputs/Choose.svelte';
	import { formatCount } from '../words/format';
	import { Refused, ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';

	let { type, onfound }: { type: string; onfound: (ids: readonly string[]) => void } = $props();
	const w = useWorkbench();
	const of = $derived(w.schema.type(type).type);
	const keys = $derived(of.fields.filter((f) => f.key && !f.retired));
	let chosen = $state<string | null>(null);
	const by = $derived(chosen ?? keys[0]?.id ?? 'No.');
	let text = $state('');
	let busy = $state(false);
	let trouble = $state<string | null>(null);
	let found = $state.raw<FoundByKeys | null>(null);
	const focus = (node: HTMLTextAreaElement) => node.focus();

	async function take(e: Event & { currentTarget: HTMLInputElement }) {
		const file = e.currentTarget.files?.[0];
		e.currentTarget.value = '';
		if (!file) return;
		text = await file.text();
		await find();
	}
	async function find() {
		busy = true;
		trouble = null;
		found = null;
		try {
			const body = { type, by, text };
			found = await ask<FoundByKeys>('/look/keys', { method: 'POST', body });
			onfound(found.ids);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; nothing was ticked.' : e.message;
		} finally {
			busy = false;
		}
	}
</script>

<div
	class="border-l-2 border-hairline py-1 pl-3 text-sm"
	role="group"
	aria-label="Tick by a file of keys"
>
	<p class="flex flex-wrap items-center gap-2">
		<span class="text-quiet">Each line names one {of.label.toLowerCase()} by its</span>
		<Choose
			value={by}
			label="By what the file names records"
			class="w-44"
			choices={[
				...keys.map((f) => ({ value: f.id, label: f.label })),
				{ value: 'No.', label: 'No.', help: 'its number here' }
			]}
			onpick={(v) => (chosen = v)}
		/>
		<label class="textlink cursor-pointer"
			>From a file <input
				type="file"
				accept=".csv,.txt,text/csv,text/plain"
				class="sr-only"
				onchange={(e) => void take(e)}
			/></label
		>
	</p>
	<div class="mt-1 flex items-start gap-3">
		<textarea
			use:focus
			bind:value={text}
			class="box mono h-24 w-80"
			aria-label="Keys, one a line; or a table whose first line names its columns"
			placeholder="one a line, or a table whose first line names its columns"></textarea>
		<button class="button" disabled={busy || !text.trim()} onclick={() => void find()}
			>{busy ? 'Looking …' : 'Tick them'}</button
		>
	</div>
	{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}
	{#if found}
		<p role="status">
			{formatCount(found.ids.length)}
			{(found.ids.length === 1 ? of.label : of.plural).toLowerCase()} ticked, of {formatCount(
				found.lines
			)}
			{found.lines === 1 ? 'line' : 'lines'}{found.again
				? `; ${formatCount(found.again)} named one once more`
				: ''}.
			{#if found.unfound}<span class="text-ochre"
					>▲ {formatCount(found.unfound)}
					{found.unfound === 1 ? 'names' : 'name'} none, or several.</span
				>{/if}
		</p>
		{#if found.first.length}
			<ul class="mono max-h-32 overflow-y-auto text-xs">
				{#each found.first as u (u.line)}<li>
						line {u.line} “{u.text}” <span class="text-quiet">{u.why}</span>
					</li>{/each}
				{#if found.unfound > found.first.length}<li class="text-quiet">
						and {formatCount(found.unfound - found.first.length)} more
					</li>{/if}
			</ul>
		{/if}
	{/if}
</div>
