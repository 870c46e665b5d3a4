<script lang="ts">
	import { onMount } from 'svelte';
	import { goto, invalidate } from '$app/navigation';
	import { JOB_KINDS, jobsHref, type JobKind, type JobsAsked } from '$door/job-kinds';
	import Choose from '$lib/inputs/Choose.svelte';
	import JobState from '$lib/shell/JobState.svelte';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data } = $props();
	const w = useWorkbench();
	const reload = () => invalidate('app:jobs');
	const { asked, open } = $derived(data);
	const pick = (more: Partial<JobsAsked>) =>
		void goto(jobsHref({ ...asked, before: null, ...more }), { keepFocus: true, noScroll: true });
	const kinds = [
		{ value: '', label: 'any job' },
		...JOB_KINDS.map((k) => ({ value: k, label: k }))
	];
	const people = $derived([
		{ value: '', label: 'for anybody' },
		...data.people.map((p) => ({
			value: p.id,
			label: `for ${p.name}${p.retired ? ' (retired)' : ''}`
		})),
		{ value: 'nobody', label: 'for nobody: begun by itself' }
	]);
	onMount(() => {
		const timer = setInterval(() => {
			if (!document.hidden) void reload();
		}, 2000);
		return () => clearInterval(timer);
	});
	const seconds = (from: string | null, to: string | null) =>
		from && to ? Math.max(0, Math.round((Date.parse(to) - Date.parse(from)) / 1000)) : null;
	const SAYS = {
		waiting: 'waits',
		running: 'runs',
		paused: 'paused',
		done: 'done',
		failed: 'failed',
		cancelled: 'stopped'
	};
</script>

<svelte:head><title>Jobs · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<h1 class="text-xl">Jobs</h1>
	<p class="text-quiet">
		Work that takes long, beside what people do. A server that ends leaves it to the next one.
	</p>
	{#each open as j (j.id)}
		<section class="mt-3 border border-line bg-sheet p-3" aria-label="{j.kind} of {j.title}">
			<p class="font-semibold">{j.title}</p>
			<p class="text-sm text-quiet">
				for {j.by ?? 'nobody'}, since {formatMoment(j.queued, w.model.zone)}
			</p>
			<JobState job={j} onchange={reload} />
		</section>
	{:else}<p class="mt-3">No job runs just now.</p>{/each}
	{#if data.carried.length || data.messages}
		<h2 class="mt-5">Carried on</h2>
		<ul class="text-sm" aria-label="Carried on">
			{#each data.carried as c (c.id)}
				<li class="border-b border-hairline py-1">
					{formatCount(c.left)}
					{c.left === 1 ? 'record' : 'records'} left of a change of {formatMoment(
						c.at,
						w.model.zone
					)}
					by {c.by ?? 'nobody'}{#if c.stuck}<span class="text-brick">
							● {formatCount(c.stuck)} cannot be settled: {c.trouble}</span
						>{/if}
				</li>
			{/each}
			{#if data.messages}
				<li class="border-b border-hairline py-1">
					{formatCount(data.messages)}
					{data.messages === 1 ? 'message waits' : 'messages wait'} to be handed over; see the
					<a class="textlink" href="/outbox">outbox</a>
				</li>
			{/if}
		</ul>
	{/if}
	<div class="mt-5 flex flex-wrap items-center gap-3" role="group" aria-label="Which jobs">
		<h2>Ended</h2>
		<Choose
			label="What they did"
			class="w-44"
			value={asked.kind ?? ''}
			choices={kinds}
			onpick={(v) => pick({ kind: (v || null) as JobKind | null })}
		/>
		<Choose
			label="For whom"
			class="w-56"
			value={asked.by ?? ''}
			choices={people}
			onpick={(v) => pick({ by: v || null })}
		/>
	</div>
	<div class="ticks mt-1"></div>
	<table class="grid-table text-sm" aria-label="Jobs that ended">
		<thead
			><tr
				><th>What</th><th>On</th><th>For</th><th>Begun</th><th class="text-right">Seconds</th><th
					class="text-right">Done</th
				><th>Outcome</th></tr
			></thead
		>
		<tbody>
			{#each data.ended as j (j.id)}
				<tr>
					<td>{j.kind}</td>
					<td
						>{#if j.input.bulk}<a class="textlink" href="/bulk/{j.input.bulk}">{j.title}</a
							>{:else if j.input.import}<a class="textlink" href="/imports/{j.input.import}"
								>{j.title}</a
							>{:else if j.kind === 'rehearsal' || j.kind === 'replay'}<a
								class="textlink"
								href="/rehearse?id={j.id}">{j.title}</a
							>{:else}{j.title}{/if}</td
					>
					<td>{j.by ?? ''}</td>
					<td class="mono whitespace-nowrap">{formatMoment(j.began ?? j.queued, w.model.zone)}</td>
					<td class="mono text-right">{seconds(j.began, j.ended) ?? ''}</td>
					<td class="mono text-right">{formatCount(j.done)}</td>
					<td
						>{#if j.state === 'failed'}<span class="text-brick">● failed:</span>
							{j.message}{:else}{SAYS[j.state]}{/if}</td
					>
				</tr>
			{:else}<tr
					><td colspan="7" class="text-quiet"
						>{asked.kind || asked.by || asked.before ? 'None of these.' : 'None yet.'}</td
					></tr
				>{/each}
		</tbody>
	</table>
	{#if asked.before || data.older}
		<p class="mt-2 flex gap-4 text-sm">
			{#if asked.before}<a class="textlink" href={jobsHref({ ...asked, before: null })}
					>The newest</a
				>{/if}
			{#if data.older}<a class="textlink" href={jobsHref({ ...asked, before: data.older })}>Older</a
				>{/if}
		</p>
	{/if}
</div>
