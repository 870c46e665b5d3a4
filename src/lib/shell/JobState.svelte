<script lang="ts">
	/** How far a job is, and the button that stops it. */
	import type { Job } from '$server/db/jobs';
	import { Refused, ask } from '../work/http';
	import { formatCount } from '../words/format';

	let { job, onchange }: { job: Job; onchange: () => unknown } = $props();
	let trouble = $state('');
	const part = $derived(job.of ? Math.min(1, job.done / job.of) : 0);
	const SAYS = {
		waiting: 'waits for its turn',
		running: 'runs',
		done: 'is done',
		failed: 'failed',
		cancelled: 'was stopped'
	};
	async function stop() {
		try {
			await ask(`/jobs/${job.id}`, { method: 'DELETE' });
			trouble = '';
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			trouble = e.message;
		}
		await onchange();
	}
</script>

<div class="flex flex-wrap items-center gap-3 text-sm" data-testid="job">
	<span role="status"
		>{#if job.state === 'failed'}<span class="text-brick">● </span>{/if}The {job.kind}
		{job.stopping && !job.ended ? 'stops at its next piece' : SAYS[job.state]}{job.of &&
		job.state !== 'done'
			? `: ${formatCount(job.done)} of ${formatCount(job.of)}`
			: ''}{job.message ? `. ${job.message}` : ''}</span
	>
	{#if !job.ended}
		<progress class="h-2 w-60" max="1" value={job.of ? part : undefined} aria-label="How far it is"
		></progress>
		<button class="button" disabled={job.stopping} onclick={() => void stop()}>Stop it</button>
	{/if}
	{#if trouble}<span class="text-brick" role="alert">● {trouble}</span>{/if}
</div>
