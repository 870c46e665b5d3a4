<script lang="ts">
	/**
	 * The line between two panes, as the window splitter pattern of the ARIA practices has it: dragged, or
	 * moved with the arrow keys; a double click or Enter gives the first width again. This browser keeps it.
	 */
	import { onMount } from 'svelte';

	let {
		label,
		remember,
		first,
		min,
		max,
		side,
		width = $bindable()
	}: {
		/** The pane whose width it is. */
		label: string;
		/** By which this browser keeps it. */
		remember: string;
		/** Pixels until somebody moves it, and how few and many there may be. */
		first: number;
		min: number;
		max: number;
		/** Where that pane lies. */
		side: 'left' | 'right';
		width: number;
	} = $props();

	const STEP = 16;
	// svelte-ignore state_referenced_locally
	const place = `pane ${remember}`;
	const set = (n: number) => (width = Math.round(Math.min(max, Math.max(min, n))));
	onMount(() => {
		const kept = Number(localStorage.getItem(place));
		if (kept) set(kept);
	});
	function keep() {
		if (width === first) localStorage.removeItem(place);
		else localStorage.setItem(place, String(width));
	}
	let from = $state<{ x: number; width: number } | null>(null);
	function keys(e: KeyboardEvent) {
		const wider = side === 'left' ? 'ArrowRight' : 'ArrowLeft';
		const narrower = side === 'left' ? 'ArrowLeft' : 'ArrowRight';
		const to: Record<string, number> = {
			[wider]: width + STEP,
			[narrower]: width - STEP,
			Home: min,
			End: max,
			Enter: first
		};
		if (to[e.key] === undefined || e.altKey || e.ctrlKey || e.metaKey) return;
		e.preventDefault();
		set(to[e.key]);
		keep();
	}
</script>

<!-- a splitter that is moved is a control -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
	class="splitter"
	class:going={from}
	role="separator"
	aria-orientation="vertical"
	aria-label="Width of {label}"
	aria-valuenow={width}
	aria-valuemin={min}
	aria-valuemax={max}
	tabindex="0"
	title="Drag for another width, or ← →; double-click for the first"
	onkeydown={keys}
	ondblclick={() => {
		set(first);
		keep();
	}}
	onpointerdown={(e) => {
		if (e.button) return;
		e.currentTarget.setPointerCapture(e.pointerId);
		from = { x: e.clientX, width };
	}}
	onpointermove={(e) => {
		if (from) set(from.width + (side === 'left' ? e.clientX - from.x : from.x - e.clientX));
	}}
	onpointerup={() => {
		from = null;
		keep();
	}}
	onpointercancel={() => (from = null)}
></div>

<style>
	.splitter {
		position: relative;
		z-index: 3;
		width: 8px;
		margin: 0 -4px;
		cursor: col-resize;
		touch-action: none;
	}
	.splitter::after {
		content: '';
		position: absolute;
		inset: 0 3px 0 4px;
		background: var(--color-line);
	}
	.splitter:hover::after,
	.splitter:focus-visible::after,
	.splitter.going::after {
		inset: 0 3px;
		background: var(--color-ink);
	}
	.splitter:focus-visible {
		outline: none;
	}
</style>
