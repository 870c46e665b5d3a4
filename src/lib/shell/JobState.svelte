<script lang="ts">
	/** How far a job is, and the buttons that pause and stop it. */
	import { PAUSABLE, RESUMABLE } from '$door/job-kinds';
	import type { Job } from '$server/db/jobs';
	import { Refused, ask } from '../work/http';
	import { formatCount } from '../words/format';

	let { job, onchange }: { job: Job; onchange: () => unknown } = $props();
	let trouble = $state('');
	const part = $derived(job.of ? Math.min(1, job.done / job.of) : 0);
	const SAYS = {
		waiting: 'waits for its turn',
		running: 'runs',
		paused: 'has paused',
		done: 'is done',
		failed: 'failed',
		cancelled: 'was stopped'
	};
	const canGoOn = $derived(
		RESUMABLE.has(job.kind) && (job.state === 'failed' || job.state === 'cancelled')
	);
	const says = $derived(
		job.ended
			? SAYS[job.state]
			: job.stopping
				? 'is being stopped'
				: job.pausing && job.state !== 'paused'
					? 'pauses at its next piece'
					: SAYS[job.state]
	);
	async function see(to: Parameters<typeof ask>[1]) {
		try {
			await ask(`/jobs/${job.id}`, to);
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
		>{#if job.state === 'failed'}<span class="text-brick">●&#8201;</span>{/if}The {job.kind}
		{says}{job.of && job.state !== 'done'
			? `: ${formatCount(job.done)} of ${formatCount(job.of)}`
			: ''}{job.message ? `. ${job.message}` : ''}</span
	>
	{#if !job.ended}
		<progress class="h-2 w-60" max="1" value={job.of ? part : undefined} aria-label="How far it is"
		></progress>
		{#if PAUSABLE.has(job.kind)}<button
				class="button"
				disabled={job.stopping}
				onclick={() => void see({ method: 'PATCH', body: { paused: !job.pausing } })}
				>{job.pausing ? 'Go on' : 'Pause'}</button
			>{/if}
		<button class="button" disabled={job.stopping} onclick={() => void see({ method: 'DELETE' })}
			>Stop it</button
		>
	{/if}
	{#if canGoOn}
		<button class="button" onclick={() => void see({ method: 'PATCH', body: { paused: false } })}
			>Go on with the rest</button
		>
	{/if}
	{#if trouble}<span class="text-brick" role="alert">● {trouble}</span>{/if}
</div>
