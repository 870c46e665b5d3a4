<script lang="ts">
	import { browser } from '$app/environment';
	import { invalidate, invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import { onMount, untrack } from 'svelte';
	import Conflicts from '$lib/shell/Conflicts.svelte';
	import Ledger from '$lib/shell/Ledger.svelte';
	import Ruler from '$lib/shell/Ruler.svelte';
	import { tell } from '$lib/shell/notices';
	import Theme from '$lib/shell/Theme.svelte';
	import { Toaster } from 'svelte-sonner';
	import SignInAgain from '$lib/shell/SignInAgain.svelte';
	import Shortcuts from '$lib/shell/Shortcuts.svelte';
	import Splitter from '$lib/shell/Splitter.svelte';
	import TypeList from '$lib/inputs/TypeList.svelte';
	import ModelList from '$lib/model/ModelList.svelte';
	import { MISSED } from '$lib/shell/missed';
	import { Reload } from '$lib/work/reload';
	import { Workbench, provideWorkbench } from '$lib/work/workbench.svelte';

	let { data, children } = $props();
	const w = untrack(() => new Workbench(data, browser));
	/** Asked for while the server could not work; done when it can. */
	let waiting: ReturnType<typeof setTimeout> | null = null;
	let away = $state(false);
	const all = new Reload(() => invalidate('app:work'));
	const isReady = () =>
		fetch('/ready').then(
			(r) => r.ok,
			() => false
		);
	/**
	 * Loads everything once more. Not while the server cannot work: a page that cannot be loaded would take
	 * the place of this one, and what is typed in it.
	 */
	async function reload(): Promise<void> {
		away = !(await isReady());
		if (away) later();
		else await all.again();
	}
	function later() {
		waiting ??= setTimeout(async () => {
			waiting = null;
			away = !(await isReady());
			if (away) later();
			else await invalidateAll();
		}, 3000);
	}
	w.reload = reload;
	provideWorkbench(w);

	let first = true;
	$effect(() => {
		const fresh = data;
		if (first) first = false;
		else
			untrack(() => {
				w.load(fresh);
				all.taken();
			});
	});
	/** Set once the page answers; the tests of the interface wait for it. */
	let ready = $state(false);
	/**
	 * What the server said to a form that was sent before the page had come to life: which of the page's forms it was nobody
	 * knows, so the page says it. (One without an action of its own says itself what was wrong with it.)
	 */
	function tellAnswered() {
		const answer = page.form as { done?: unknown; message?: unknown } | null;
		if (!answer || !page.url.search.startsWith('?/')) return;
		const words = answer.done ?? answer.message;
		if (typeof words === 'string') tell(words);
	}
	onMount(() => {
		ready = true;
		tellAnswered();
		w.trials.run();
		w.takeUpSteps();
		w.others.start();
		const leave = (e: BeforeUnloadEvent) => {
			if (w.stored) return;
			void w.flush();
			e.preventDefault();
		};
		// a page in the background holds no connection, and hears what it missed when it is seen again
		const hide = () => {
			void w.flush();
			w.keepSteps();
			if (document.hidden) w.others.stop();
			else w.others.start();
		};
		const gone = () => w.keepSteps();
		// the server went while this page was loaded once more: it stands as it was
		const missed = () => {
			away = true;
			later();
		};
		addEventListener('beforeunload', leave);
		addEventListener('pagehide', gone);
		addEventListener(MISSED, missed);
		document.addEventListener('visibilitychange', hide);
		return () => {
			removeEventListener('beforeunload', leave);
			removeEventListener('pagehide', gone);
			removeEventListener(MISSED, missed);
			document.removeEventListener('visibilitychange', hide);
			w.stop();
		};
	});

	const records = $derived(
		[
			'/records',
			'/settings',
			'/people',
			'/account',
			'/journal',
			'/outbox',
			'/webhooks',
			'/lead-source',
			'/indexes',
			'/audit',
			'/jobs',
			'/imports',
			'/bulk',
			'/line'
		].some((p) => page.url.pathname.startsWith(p))
	);
	const model = $derived(/^\/(model|options)(\/|$)/.test(page.url.pathname));
	const beside = $derived([
		{ href: '/tables', label: 'Tables', count: w.draft.tables?.length ?? 0 },
		{ href: '/definitions', label: 'Definitions', count: w.draft.definitions?.length ?? 0 },
		{ href: `/whole/${page.params.type ?? w.model.types[0].id}`, label: 'Whole', count: null }
	]);
	function undo() {
		const done = w.undo();
		if (done) tell(done);
	}
	function redo() {
		const done = w.redo();
		if (done) tell(done);
	}
	/** The rule, definition or table in which something lies on the page. */
	function partAround(e: Element): string | null {
		const { id } = e.closest('[id^="rule-"], [id^="definition-"]') ?? { id: '' };
		if (id) return id.replace(/^rule-/, 'rules.').replace(/^definition-/, 'definitions.');
		const table = /^\/tables\/([^/]+)$/.exec(page.url.pathname)?.[1];
		return table ? `tables.${decodeURIComponent(table)}` : null;
	}
	const savingText = $derived(
		{
			saved: w.stored ? 'Draft saved' : 'Saving …',
			saving: 'Saving …',
			waiting: 'Saving …',
			conflict: 'Not saved',
			refused: 'Not saved'
		}[w.saver.state]
	);

	/** Pixels of the list on the left. */
	const LEDGER = 248;
	let ledger = $state(LEDGER);
</script>

<svelte:window
	onpointerdowncapture={() => w.history.hold(true)}
	onpointerupcapture={() => w.history.hold(false)}
	onpointercancelcapture={() => w.history.hold(false)}
/>
<a
	href="#main"
	class="sr-only bg-ink text-paper focus:not-sr-only focus:absolute focus:z-50 focus:p-2"
	>To the page</a
>
<noscript>
	<p class="border-b border-line bg-sheet px-4 py-2">
		Scripts are off in this browser. What is here can be read; hardly anything can be done until
		they are on.
	</p>
</noscript>
<SignInAgain email={data.account.email} />
<Toaster
	position="bottom-right"
	offset={{ bottom: 44, right: 16 }}
	toastOptions={{
		unstyled: true,
		classes: {
			toast:
				'font-sans flex w-full items-center gap-4 border border-ink bg-sheet px-4 py-2 text-sm text-ink'
		}
	}}
/>
<div class="frame" data-frame data-ready={ready} style:--ledger="{ledger}px">
	<header class="col-span-full flex border-b border-line bg-paper">
		<a
			href="/"
			class="brand flex shrink-0 items-center gap-3 border-r border-line px-4 no-underline"
		>
			<svg width="26" height="14" viewBox="0 0 26 14" aria-hidden="true"
				><rect
					x=".5"
					y=".5"
					width="25"
					height="13"
					fill="var(--color-band-3)"
					stroke="var(--color-ink)"
				/><path d="M4.5 0v6M8.5 0v4M12.5 0v6M16.5 0v4M20.5 0v6" stroke="var(--color-ink)" /></svg
			>
			<span class="text-lg font-bold tracking-tight">Rigid Rule</span>
		</a>
		<Ruler />
		<div class="flex shrink-0 items-center gap-2 px-4 text-sm">
			<Shortcuts {undo} {redo} />
			<a class="textlink" href="/records">Records</a>
			<a class="textlink" href="/journal">Journal</a>
			<a class="textlink" href="/model">Model</a>
			<a class="textlink" href="/settings">Settings</a>
		</div>
	</header>

	<aside class="flex min-h-0 flex-col">
		<div class="min-h-0 flex-1">
			{#if model}<ModelList />{:else if records}<TypeList />{:else}<Ledger />{/if}
		</div>
		{#if !records && !model}
			<nav
				class="flex justify-between gap-2 border-t border-hairline px-4 text-sm whitespace-nowrap"
				aria-label="Beside the fields"
			>
				{#each beside as b (b.href)}
					<a
						class="textlink"
						href={b.href}
						aria-current={page.url.pathname.startsWith(b.href) ? 'page' : undefined}
						>{b.label}{#if b.count !== null}
							<span class="mono text-quiet">&nbsp;{b.count}</span>{/if}</a
					>
				{/each}
			</nav>
		{/if}
		{#if data.workspace.demo}
			<p class="border-t border-hairline bg-ochre-wash px-4 py-1 text-xs">
				Demo: its passwords are known to everyone.
			</p>
		{/if}
		<div
			class="flex items-center justify-between border-t border-hairline px-4 py-1 text-xs text-quiet"
		>
			<span
				class="flex min-w-0 items-center whitespace-nowrap"
				title="{w.account.email}, {w.account.role}"
				>{data.workspace.name} ·&nbsp;<a
					class="textlink !block min-w-0 truncate leading-6"
					href="/account">{w.account.name}</a
				></span
			>
			<span class="flex items-center gap-1">
				<Theme />
				<form method="POST" action="/sign-out">
					<button class="textlink whitespace-nowrap">Sign out</button>
				</form>
			</span>
		</div>
	</aside>
	<div class="between">
		<Splitter
			label="the list"
			remember="list"
			first={LEDGER}
			min={200}
			max={420}
			side="left"
			bind:width={ledger}
		/>
	</div>

	<div class="flex min-h-0 min-w-0 flex-col">
		{#if w.saver.trouble && w.saver.state !== 'conflict'}
			<div
				class="flex items-center gap-4 border-b border-brick bg-brick-wash px-6 py-2"
				role="alert"
			>
				<span class="grow">● {w.saver.trouble}</span>
				{#if w.saver.state === 'refused'}
					<button class="button" onclick={() => void reload()}>Load the stored draft</button>
				{/if}
			</div>
		{/if}
		{#if away}
			<p class="border-b border-ochre bg-ochre-wash px-6 py-2" role="status">
				▲ The server cannot work just now. What you edited is kept here; this page goes on by
				itself.
			</p>
		{/if}
		<Conflicts />
		{#if w.notice}
			<p class="border-b border-ochre bg-ochre-wash px-6 py-2" role="status">▲ {w.notice}</p>
		{/if}
		<main
			id="main"
			class="relative min-h-0 flex-1 overflow-auto"
			tabindex="-1"
			onfocusin={(e) => w.others.work(partAround(e.target as Element))}
		>
			{@render children()}
		</main>
		{#if !records}
			<div class="flex h-8 items-center gap-4 border-t border-hairline px-6 text-xs text-quiet">
				<span role="status"
					>{w.canEdit
						? savingText
						: w.instead
							? 'Rows count when you put them in force'
							: 'You look; authors write'}</span
				>
				{#if w.canEdit || w.instead}
					<button
						class="textlink disabled:no-underline"
						disabled={!(w.instead?.undoLabel ?? w.history.undoLabel)}
						onclick={() => undo()}>Undo</button
					>
					<button
						class="textlink disabled:no-underline"
						disabled={!(w.instead?.redoLabel ?? w.history.redoLabel)}
						onclick={() => redo()}>Redo</button
					>
				{/if}
			</div>
		{/if}
	</div>
</div>

<style>
	.frame {
		display: grid;
		grid-template: 56px minmax(0, 1fr) / var(--ledger) 0 minmax(0, 1fr);
		height: 100dvh;
	}
	.brand {
		width: var(--ledger);
	}
	.between {
		display: flex;
	}
	/* a tablet: the list gives way first */
	@media (max-width: 1100px) {
		.frame {
			--ledger: 200px !important;
		}
	}
	@media (max-width: 900px) {
		.between {
			display: none;
		}
		.frame {
			display: block;
			height: auto;
		}
		.frame > header {
			flex-wrap: wrap;
		}
		aside {
			max-height: 40vh;
			overflow: auto;
		}
		.brand {
			width: auto;
			flex: 1;
			border-right: 0;
			min-height: 48px;
		}
	}
</style>
