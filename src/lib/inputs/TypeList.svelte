<script lang="ts">
	/** Where the ledger stands on other pages: the record types of the stand-in CRM. */
	import { page } from '$app/state';
	import { useWorkbench } from '../work/workbench.svelte';

	const w = useWorkbench();
	const happened = [
		{ href: '/line', label: 'Out of line' },
		{ href: '/journal', label: 'Journal of the rules' },
		{ href: '/jobs', label: 'Jobs' }
	];
	const outside = [
		{ href: '/outbox', label: 'Outbox' },
		{ href: '/webhooks', label: 'Webhooks' },
		{ href: '/lead-source', label: 'Lead source' }
	];
	const settings = $derived([
		{ href: '/people', label: 'People' },
		{ href: '/account', label: 'Your account' },
		{
			href: '/settings',
			label: w.may('operate') ? 'Tokens, releases, retention' : 'Releases, retention'
		},
		{ href: '/indexes', label: 'Indexes of lists' },
		...(w.may('audit') ? [{ href: '/audit', label: 'Audit' }] : [])
	]);
	const here = $derived(page.params.type ?? '');
</script>

<nav class="h-full overflow-y-auto pt-3 pb-3" aria-label="Record types">
	<h2 class="px-4 pb-1 text-lg">Records</h2>
	{#each w.model.types as t (t.id)}
		<a
			class="row"
			class:current={here === t.id}
			aria-current={here === t.id ? 'page' : undefined}
			href="/records/{t.id}">{t.plural}</a
		>
	{/each}
	{#each [{ label: 'What happened', links: happened }, { label: 'Outside', links: outside }] as group (group.label)}
		<h2 class="px-4 pt-4 pb-1 text-lg">{group.label}</h2>
		{#each group.links as h (h.href)}
			<a
				class="row"
				class:current={page.url.pathname.startsWith(h.href)}
				aria-current={page.url.pathname.startsWith(h.href) ? 'page' : undefined}
				href={h.href}>{h.label}</a
			>
		{/each}
	{/each}
	<h2 class="px-4 pt-4 pb-1 text-lg">Settings</h2>
	{#each settings as h (h.href)}
		<a
			class="row"
			class:current={page.url.pathname === h.href}
			aria-current={page.url.pathname === h.href ? 'page' : undefined}
			href={h.href}>{h.label}</a
		>
	{/each}
	<h2 class="px-4 pt-4 pb-1 text-lg">Rules</h2>
	<a class="row" href="/">Back to the sheet</a>
</nav>

<style>
	.row {
		display: flex;
		align-items: center;
		min-height: 28px;
		padding: 0 16px;
		text-decoration: none;
		border-left: 3px solid transparent;
	}
	.row:hover {
		background: var(--color-panel);
	}
	/* on a telephone one line that is passed under the thumb */
	@media (max-width: 600px) {
		nav {
			display: flex;
			padding: 0;
			overflow-x: auto;
		}
		h2 {
			display: none;
		}
		.row {
			min-height: 36px;
			white-space: nowrap;
			border-left: 0;
		}
	}
	.current {
		background: var(--color-sheet);
		border-left-color: var(--color-ink);
		font-weight: 600;
	}
</style>
