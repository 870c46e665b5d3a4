/** Cells that are ticked, in rows and columns: arrow keys go between them, a drag ticks all it passes. */

import { tick } from 'svelte';

/** Where a cell stands: its element carries `data-r` and `data-c`, and `aria-pressed` while it is ticked. */
const placeOf = (el: Element | null) => {
	const cell = el?.closest<HTMLElement>('[data-r]') ?? null;
	return cell && { cell, r: Number(cell.dataset.r), c: Number(cell.dataset.c) };
};

/**
 * Keys and dragging for the cells within an element: arrows go one on, Home and End to the ends of the
 * row, with Ctrl to those of all. A drag gives every cell that it passes what a click would have given
 * the first.
 * @param paint gives a cell; not called for clicks, which the cells have themselves
 */
export function cells(node: HTMLElement, paint: (r: number, c: number, on: boolean) => void) {
	let give = paint;
	let from: { r: number; c: number; on: boolean } | null = null;
	let dragged = false;

	function key(e: KeyboardEvent) {
		const at = placeOf(e.target as Element);
		if (!at || e.altKey) return;
		const all = [...node.querySelectorAll<HTMLElement>('[data-r]')].map((x) => placeOf(x)!);
		const row = (r: number) => all.filter((x) => x.r === r).sort((a, b) => a.c - b.c);
		const ctrl = e.ctrlKey || e.metaKey;
		const last = Math.max(...all.map((x) => x.r));
		const first = Math.min(...all.map((x) => x.r));
		const to = {
			ArrowDown: () => all.find((x) => x.r === at.r + 1 && x.c === at.c),
			ArrowUp: () => all.find((x) => x.r === at.r - 1 && x.c === at.c),
			ArrowRight: () => all.find((x) => x.r === at.r && x.c === at.c + 1),
			ArrowLeft: () => all.find((x) => x.r === at.r && x.c === at.c - 1),
			Home: () => row(ctrl ? first : at.r)[0],
			End: () => row(ctrl ? last : at.r).at(-1)
		}[e.key];
		if (!to) return;
		e.preventDefault();
		to()?.cell.focus();
	}
	/** One after the other: each is given on what the one before made. */
	let given: Promise<void> = Promise.resolve();
	const after = (r: number, c: number, on: boolean) => {
		given = given.then(() => {
			give(r, c, on);
			return tick();
		});
	};
	function down(e: PointerEvent) {
		const at = placeOf(e.target as Element);
		dragged = false;
		// a finger that moves scrolls
		if (!at || e.button !== 0 || e.pointerType === 'touch') return;
		if ((at.cell as HTMLButtonElement).disabled) return;
		from = { r: at.r, c: at.c, on: at.cell.getAttribute('aria-pressed') !== 'true' };
	}
	function over(e: PointerEvent) {
		if (!from || !(e.buttons & 1)) return;
		const at = placeOf(e.target as Element);
		if (!at || (at.r === from.r && at.c === from.c && !dragged)) return;
		if (!dragged) after(from.r, from.c, from.on);
		dragged = true;
		after(at.r, at.c, from.on);
	}
	const up = () => {
		from = null;
	};
	/** What was dragged over is no click. */
	function click(e: MouseEvent) {
		if (!dragged) return;
		dragged = false;
		e.preventDefault();
		e.stopPropagation();
	}
	node.addEventListener('keydown', key);
	node.addEventListener('pointerdown', down);
	node.addEventListener('pointerover', over);
	node.addEventListener('click', click, true);
	window.addEventListener('pointerup', up);
	return {
		update: (next: typeof paint) => {
			give = next;
		},
		destroy: () => {
			node.removeEventListener('keydown', key);
			node.removeEventListener('pointerdown', down);
			node.removeEventListener('pointerover', over);
			node.removeEventListener('click', click, true);
			window.removeEventListener('pointerup', up);
		}
	};
}
