<script lang="ts">
	/** Keys that work everywhere, and the list of them. Single letters never fire while typing. */
	import { Dialog } from 'bits-ui';
	import { goto } from '$app/navigation';
	import { onMount } from 'svelte';
	import Search from '@lucide/svelte/icons/search';
	import { page } from '$app/state';
	import { copyLink } from '../work/copy-link';
	import { helpFor } from './help';

	let { undo, redo }: { undo: () => void; redo: () => void } = $props();
	let open = $state(false);
	let finding = $state(false);
	/** Its code comes when it is asked for first. */
	let Finder = $state.raw<typeof import('./Finder.svelte').default | null>(null);
	async function find() {
		Finder ??= (await import('./Finder.svelte')).default;
		finding = true;
	}
	let single = $state(true);
	onMount(() => {
		single = localStorage.getItem('single-keys') !== 'off';
	});
	const PAGES: Record<string, string> = {
		'1': '/',
		'2': '/check',
		'3': '/try',
		'4': '/rehearse',
		'5': '/release',
		'6': '/records'
	};

	function keys(e: KeyboardEvent) {
		const at = e.target as HTMLElement;
		const typing = at.matches('input, textarea, select, [contenteditable]');
		if (
			(e.ctrlKey || e.metaKey) &&
			!e.altKey &&
			e.key.toLowerCase() === 'z' &&
			!at.matches('textarea, input, [contenteditable]')
		) {
			e.preventDefault();
			if (e.shiftKey) redo();
			else undo();
			return;
		}
		if (typing || !single || e.ctrlKey || e.metaKey || e.altKey) return;
		if (e.key === '/') {
			e.preventDefault();
			void find();
		} else if (e.key === 'f') {
			e.preventDefault();
			document.getElementById('find-field')?.focus();
		} else if (e.key === 'n') {
			e.preventDefault();
			document.getElementById('another-rule')?.click();
		} else if (e.key === '?') open = true;
		else if (e.key in PAGES) void goto(PAGES[e.key]);
	}
	const commands = [
		{
			id: 'copy-link',
			label: 'Copy the link to this page',
			kind: 'command',
			also: 'address url share send',
			run: () => void copyLink()
		},
		{ id: 'undo', label: 'Undo', kind: 'command', run: () => undo() },
		{ id: 'redo', label: 'Redo', kind: 'command', run: () => redo() },
		{
			id: 'another',
			label: 'Another rule for this field',
			kind: 'command',
			also: 'new add write',
			run: () => document.getElementById('another-rule')?.click()
		},
		{
			id: 'keys',
			label: 'This page and its keys',
			kind: 'command',
			also: 'help keyboard shortcuts about',
			run: () => {
				open = true;
			}
		}
	];
	const help = $derived(helpFor(page.url.pathname));
	const LIST: [string, string][] = [
		['/', 'find anything'],
		['f', 'find a field in the ledger'],
		['n', 'another rule for the field'],
		['↑ ↓', 'move in the ledger'],
		['↑ ↓ ← →', 'move in a grid, or what is held by its number'],
		['Enter, Escape', 'into a cell, or open it; out of it'],
		['Alt ← →', 'on a heading: its column’s width'],
		['1 … 5', 'Write, Check, Try, Rehearse, Release'],
		['6', 'records'],
		['Ctrl Z', 'undo; with Shift, redo'],
		['Ctrl Enter', 'in a formula: write what was meant'],
		['← →', 'move a limit by 1, with Page keys by 10'],
		['?', 'what this page is for, and this list']
	];
</script>

<svelte:window onkeydown={keys} />
<button
	class="box grid h-7 w-7 place-items-center p-0"
	aria-label="Find anything"
	title="Find anything (/)"
	onclick={find}><Search size={14} aria-hidden="true" /></button
>
{#if Finder}<Finder bind:open={finding} {commands} />{/if}
<Dialog.Root bind:open>
	<Dialog.Trigger
		class="box grid h-7 w-7 place-items-center p-0 font-semibold"
		aria-label="This page and its keys"
		title="This page and its keys (?)">?</Dialog.Trigger
	>
	<Dialog.Portal>
		<Dialog.Overlay class="fixed inset-0 z-40 bg-ink/30" />
		<Dialog.Content
			class="fixed top-16 left-1/2 z-50 max-h-[calc(100dvh-80px)] w-[26rem] max-w-[calc(100vw-16px)] -translate-x-1/2 overflow-y-auto border border-ink bg-sheet p-5"
		>
			<Dialog.Title class="text-lg font-semibold">{help?.title ?? 'Keyboard'}</Dialog.Title>
			{#if help}
				<Dialog.Description class="mt-1 text-sm">
					{#each help.says as sentence (sentence)}<span class="mb-1 block">{sentence}</span>{/each}
				</Dialog.Description>
				<h3 class="mt-3 text-sm">Keyboard</h3>
			{/if}
			<table class="mt-2 w-full text-sm">
				<tbody>
					{#each LIST as [key, what] (key)}
						<tr class="border-b border-hairline"
							><td class="mono w-24 py-1 font-semibold">{key}</td><td>{what}</td></tr
						>
					{/each}
				</tbody>
			</table>
			<label class="mt-3 flex items-center gap-2 text-sm">
				<input
					type="checkbox"
					bind:checked={single}
					onchange={() => localStorage.setItem('single-keys', single ? 'on' : 'off')}
				/>
				Single keys are shortcuts
			</label>
			<div class="mt-3 flex items-center gap-4">
				<Dialog.Close class="button">Close</Dialog.Close>
				<button
					class="textlink text-sm"
					onclick={() => {
						localStorage.removeItem('begun');
						location.assign('/');
					}}>Show where to begin</button
				>
			</div>
		</Dialog.Content>
	</Dialog.Portal>
</Dialog.Root>
