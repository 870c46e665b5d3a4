<script lang="ts">
	/** Asks why a finding is taken as it is, and has it accepted. */
	import { Dialog } from 'bits-ui';
	import type { Finding } from '$core';
	import { Refused, ask } from '../work/http';
	import { tell } from '../shell/notices';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		finding,
		onclose
	}: {
		/** The finding that is asked about; null while none is. */
		finding: Finding | null;
		/** @param accepted whether it was */
		onclose: (accepted: boolean) => void;
	} = $props();

	const w = useWorkbench();
	let reason = $state('');
	let trouble = $state<string | null>(null);
	let busy = $state(false);
	$effect(() => {
		if (!finding) return;
		reason = finding.accepted?.reason ?? '';
		trouble = null;
	});

	async function accept(e: SubmitEvent) {
		e.preventDefault();
		if (!reason.trim()) {
			trouble = 'Write why it is taken as it is.';
			return;
		}
		busy = true;
		trouble = null;
		try {
			await w.flush();
			await ask('/draft/accepted', { method: 'POST', body: { finding: finding!.id, reason } });
			await w.reload();
			tell('Accepted, until what it rests on changes.');
			onclose(true);
		} catch (x) {
			if (!(x instanceof Refused)) throw x;
			trouble = x.unreachable ? 'The server cannot be reached; nothing was accepted.' : x.message;
		} finally {
			busy = false;
		}
	}
</script>

<Dialog.Root open={finding !== null} onOpenChange={(open) => !open && !busy && onclose(false)}>
	<Dialog.Portal>
		<Dialog.Overlay class="fixed inset-0 z-40 bg-ink/30" />
		<Dialog.Content
			class="fixed top-1/2 left-1/2 z-50 w-[30rem] max-w-[90vw] -translate-x-1/2 -translate-y-1/2 border border-ink bg-sheet p-5"
			data-testid="accept"
		>
			<Dialog.Title class="text-lg">Take this as it is?</Dialog.Title>
			<Dialog.Description class="mt-1 text-sm text-quiet">{finding?.message}</Dialog.Description>
			<form class="mt-3" onsubmit={accept}>
				<label class="block text-sm font-medium" for="accept-reason">Why</label>
				<textarea
					id="accept-reason"
					class="box mt-1 h-20 w-full"
					maxlength="1000"
					bind:value={reason}
					aria-describedby="accept-until"></textarea>
				<p id="accept-until" class="mt-1 text-xs text-quiet">
					It stops being told, and goes with the release, until the rules of its field, or the
					definitions, options and rows that it speaks of change.
				</p>
				{#if trouble}<p class="mt-2 text-sm text-brick" role="alert">● {trouble}</p>{/if}
				<div class="mt-3 flex gap-3">
					<button class="button main" disabled={busy}
						>{busy ? 'The draft is looked at …' : 'Accept it'}</button
					>
					<button type="button" class="button" disabled={busy} onclick={() => onclose(false)}
						>Leave it as a finding</button
					>
				</div>
			</form>
		</Dialog.Content>
	</Dialog.Portal>
</Dialog.Root>
