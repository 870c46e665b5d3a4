<script lang="ts">
	/** The readiness ruler: five stations in the order of the work, and how far the draft has come. */
	import { page } from '$app/state';
	import { formatCount } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';

	const w = useWorkbench();

	const blocking = $derived(w.found.filter((f) => f.severity === 'blocking').length);
	const stale = $derived(w.rehearsal !== null && !w.rehearsed.rehearsed);
	const tried = $derived(w.trials.outcomes.size > 0 && !w.trials.running);

	const tries = $derived(Math.floor((w.covering.tried * 100) / (w.covering.points || 1)));

	interface Station {
		path: string;
		name: string;
		figure: string;
		says: string;
		tone: string;
		old?: boolean;
	}
	const stations = $derived<Station[]>([
		{
			path: '/write',
			name: 'Write',
			figure: String(w.changes.length),
			says: w.changes.length === 1 ? 'change' : 'changes',
			tone: ''
		},
		{
			path: '/check',
			name: 'Check',
			figure: w.analysis.analysed ? String(w.found.length) : '–',
			says: w.found.length === 1 ? 'finding' : 'findings',
			tone: blocking ? 'text-brick' : w.found.length ? 'text-ochre' : '',
			old: w.analysis.checking && w.analysis.analysed
		},
		{
			path: '/try',
			name: 'Try',
			figure: `${tried || w.trials.outcomes.size ? w.trials.held : '–'}/${w.trials.count}`,
			says: w.covering.known ? `hold · ${tries} % tried` : 'hold',
			tone: tried && w.trials.held < w.trials.count ? 'text-ochre' : '',
			old: (w.trials.running && w.trials.outcomes.size > 0) || w.covering.old
		},
		{
			path: '/rehearse',
			name: 'Rehearse',
			figure: w.rehearsal ? formatCount(w.rehearsal.records) : '–',
			says: w.rehearsal ? 'would change' : 'not yet run',
			tone: '',
			old: stale
		},
		{
			path: '/release',
			name: 'Release',
			figure: w.force.number ? `v${w.force.number}` : 'none',
			says: w.pilot ? `in force, v${w.pilot.release} pilot` : 'in force',
			tone: ''
		}
	]);

	/** How many stations the draft has passed. */
	const reached = $derived.by(() => {
		if (!w.changes.length) return 5;
		if (blocking) return 1;
		if (!tried || w.trials.held < w.trials.count) return 2;
		if (!w.rehearsal || stale) return 3;
		return 4;
	});
	const reachedSays = $derived(
		reached === 5
			? 'The draft is what is in force.'
			: `The draft has come to ${stations[reached].name}.`
	);
</script>

<nav aria-label="Readiness of the draft" class="relative flex min-w-0 flex-1">
	{#each stations as s, i (s.path)}
		{@const here = page.url.pathname.startsWith(s.path)}
		<a
			href={s.path === '/write' ? '/' : s.path}
			data-testid="station{s.path.replace('/', '-')}"
			class="station {here ? 'here' : ''} {i < reached ? 'passed' : ''}"
			aria-current={here ? 'page' : undefined}
		>
			<span class="name">{s.name}</span>
			<span class="whitespace-nowrap">
				<span class="mono font-semibold {s.tone}">{s.figure}</span>
				<span class="text-xs text-quiet">{s.says}{s.old ? ', outdated' : ''}</span>
			</span>
			{#if i === Math.min(reached, 4)}
				<span class="index" class:end={reached === 5} title={reachedSays}></span>
			{/if}
		</a>
	{/each}
	<span class="sr-only" role="status">{reachedSays}</span>
</nav>

<style>
	.station {
		position: relative;
		flex: 1 1 0;
		min-width: 0;
		display: flex;
		flex-direction: column;
		justify-content: flex-end;
		padding: 8px 12px 5px;
		text-decoration: none;
		border-right: 1px solid var(--color-line);
		overflow: hidden;
		background-image: repeating-linear-gradient(
			90deg,
			var(--color-line) 0 1px,
			transparent 1px 12px
		);
		background-size: 100% 5px;
		background-repeat: no-repeat;
	}
	/* on a telephone the stations are passed under the thumb */
	@media (max-width: 600px) {
		nav {
			flex: none;
			width: 100%;
			overflow-x: auto;
			border-top: 1px solid var(--color-line);
		}
		.station {
			flex: none;
			min-width: 108px;
		}
	}
	.passed {
		background-image: repeating-linear-gradient(
			90deg,
			var(--color-brass) 0 1px,
			transparent 1px 12px
		);
	}
	.name {
		font-weight: 600;
	}
	.station:hover .name {
		text-decoration: underline;
		text-underline-offset: 3px;
	}
	.here {
		background-color: var(--color-sheet);
		box-shadow: inset 0 -3px 0 var(--color-ink);
	}
	.index {
		position: absolute;
		top: 0;
		left: 0;
		border: 6px solid transparent;
		border-top: 9px solid var(--color-brass);
		border-left: 0;
	}
	.index.end {
		left: auto;
		right: 0;
		border: 6px solid transparent;
		border-top: 9px solid var(--color-brass);
		border-right: 0;
	}
</style>
