<script lang="ts">
	/** What people say of a rule, a finding or a trial, and a place to say something. */
	import type { RemarkedAt } from '$server/db/remarks';
	import { MOST_REMARK } from '$door/gate';
	import { tick } from 'svelte';
	import { tell } from '../shell/notices';
	import { formatMoment } from '../words/format';
	import { Refused, ask } from './http';
	import { useWorkbench } from './workbench.svelte';

	let {
		at,
		title,
		only = null,
		offered = true,
		class: more = ''
	}: {
		at: RemarkedAt;
		/** How what it stands at is called. */
		title: string;
		/** Only this one. */
		only?: string | null;
		/** Something can be said here. */
		offered?: boolean;
		class?: string;
	} = $props();

	const w = useWorkbench();
	const all = $derived(
		w.remarks.filter((m) =>
			only === null ? m.kind === at.kind && m.key === at.key : m.id === only
		)
	);
	const open = $derived(all.filter((m) => !m.settledAt));
	const settled = $derived(all.filter((m) => m.settledAt));
	let writing = $state(false);
	let text = $state('');
	let trouble = $state<string | null>(null);
	let busy = $state(false);
	let box = $state<HTMLTextAreaElement>();
	let begin = $state<HTMLButtonElement>();

	async function send(work: () => Promise<unknown>) {
		busy = true;
		trouble = null;
		try {
			await work();
			await w.reload();
			return true;
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.unreachable ? 'The server cannot be reached; nothing was kept.' : e.message;
			return false;
		} finally {
			busy = false;
		}
	}
	async function write() {
		writing = true;
		await tick();
		box?.focus();
	}
	async function close() {
		writing = false;
		trouble = null;
		await tick();
		begin?.focus();
	}
	async function keep(e: SubmitEvent) {
		e.preventDefault();
		if (!text.trim()) {
			trouble = 'Write what is to be said of it.';
			return;
		}
		if (
			!(await send(() =>
				ask('/remarks', {
					method: 'POST',
					body: { ...at, title: title.slice(0, 300), text: text.trim() }
				})
			))
		)
			return;
		text = '';
		await close();
	}
	const note = async (id: string, done: boolean) => {
		if (await send(() => ask(`/remarks/${id}`, { method: 'PUT', body: { settled: done } })))
			tell(done ? 'Noted as settled.' : 'It is open again.');
	};
</script>

{#if all.length || (offered && w.canEdit)}
	<div class="text-sm {more}">
		{#if open.length}
			<ul aria-label="Remarks at {title}">
				{#each open as m (m.id)}
					<li class="flex items-start gap-3 py-0.5">
						<span class="min-w-0 grow"
							><span class="text-brass-ink" aria-hidden="true">❝</span>
							<span class="break-words whitespace-pre-line">{m.text}</span>
							<span class="text-quiet">{m.by}, {formatMoment(m.at, w.model.zone)}</span></span
						>
						{#if w.canEdit}<button
								class="textlink whitespace-nowrap"
								disabled={busy}
								aria-label="Settle: {m.text.slice(0, 80)}"
								onclick={() => void note(m.id, true)}>settle</button
							>{/if}
					</li>
				{/each}
			</ul>
		{/if}
		{#if settled.length}
			<details>
				<summary class="cursor-pointer text-quiet">{settled.length} settled</summary>
				<ul>
					{#each settled as m (m.id)}
						<li class="flex items-start gap-3 py-0.5 text-quiet">
							<span class="min-w-0 grow break-words"
								>{m.text} · {m.by}, {formatMoment(m.at, w.model.zone)} · settled by {m.settledBy}</span
							>
							{#if w.canEdit}<button
									class="textlink whitespace-nowrap"
									disabled={busy}
									aria-label="Open again: {m.text.slice(0, 80)}"
									onclick={() => void note(m.id, false)}>open again</button
								>{/if}
						</li>
					{/each}
				</ul>
			</details>
		{/if}
		{#if writing}
			<form class="mt-1" onsubmit={keep}>
				<textarea
					class="box h-14 w-full"
					aria-label="Remark on {title}"
					maxlength={MOST_REMARK}
					bind:this={box}
					bind:value={text}
					onkeydown={(e) => {
						if (e.key === 'Escape') void close();
						if (e.key === 'Enter' && (e.ctrlKey || e.metaKey))
							e.currentTarget.form?.requestSubmit();
					}}></textarea>
				<span class="flex gap-3"
					><button class="button" disabled={busy}>Remark</button><button
						type="button"
						class="textlink"
						onclick={() => void close()}>Leave it</button
					></span
				>
			</form>
		{:else if offered && w.canEdit}<button
				class="textlink"
				bind:this={begin}
				aria-label="Remark on {title}"
				onclick={() => void write()}>Remark …</button
			>{/if}
		{#if trouble}<p class="text-brick" role="alert">● {trouble}</p>{/if}
	</div>
{/if}
