/** Dragging things of a list to another place, by their handles. */
import { tick } from 'svelte';
import { alertToScreenReader, dndzone, type DndEvent } from 'svelte-dnd-action';

interface Item {
	id: string;
}
interface Options<T extends Item> {
	/** The list as it stands. */
	items: () => readonly T[];
	/** What the list is called, for those who hear it. */
	label: () => string;
	disabled: () => boolean;
	/** Puts the thing from one place to another, both zero-based. */
	move: (from: number, to: number) => void;
}

let zones = 0;

/**
 * One list whose things can be moved. Its container takes `use:reorder.zone`, and its children are
 * `reorder.shown`, one each; in each child stands a span with `{...reorder.handle(place)}`. It is
 * dragged by pointer or finger; on the keyboard the arrow keys move it at once, and the focus stays on it.
 */
export class Reorder<T extends Item> {
	#o: Options<T>;
	/** The order while something is dragged. */
	#dragged = $state.raw<T[] | null>(null);
	#node: HTMLElement | null = null;
	readonly #type = `zone ${++zones}`;
	/** What stands in the container just now. */
	readonly shown: readonly T[] = $derived.by(() => this.#dragged ?? this.#o.items());

	constructor(options: Options<T>) {
		this.#o = options;
	}

	readonly zone = (node: HTMLElement, on = true) => {
		this.#node = node;
		let grabbed = false;
		let enabled = on;
		const options = () => ({
			items: [...this.shown],
			type: this.#type,
			dragDisabled: !grabbed || !enabled,
			flipDurationMs: 0,
			dropAnimationDisabled: true,
			// the handles speak for themselves, and take the keys
			autoAriaDisabled: true,
			zoneTabIndex: -1,
			zoneItemTabIndex: -1,
			dropTargetStyle: {},
			transformDraggedElement: keepWidths
		});
		const dnd = dndzone(node, options()) as {
			update(o: ReturnType<typeof options>): void;
			destroy(): void;
		};
		const grab = (e: Event) => {
			const handle = (e.target as Element).closest('[data-handle]');
			if (!handle || this.#o.disabled() || handle.closest('[data-zone]') !== node) return;
			grabbed = true;
			dnd.update(options());
		};
		const release = () => {
			if (!grabbed) return;
			grabbed = false;
			dnd.update(options());
		};
		const consider = (e: Event) => {
			this.#dragged = (e as CustomEvent<DndEvent<T>>).detail.items;
		};
		const finalize = (e: Event) => {
			const { items, info } = (e as CustomEvent<DndEvent<T>>).detail;
			const before = this.#o.items();
			const from = before.findIndex((x) => x.id === info.id);
			const to = items.findIndex((x) => x.id === info.id);
			this.#dragged = null;
			release();
			if (from >= 0 && to >= 0 && from !== to) this.#o.move(from, to);
		};
		node.dataset.zone = '';
		// before the library's own, which stand at the children
		node.addEventListener('mousedown', grab, true);
		node.addEventListener('touchstart', grab, true);
		node.addEventListener('consider', consider);
		node.addEventListener('finalize', finalize);
		window.addEventListener('mouseup', release);
		window.addEventListener('touchend', release);
		$effect(() => {
			void this.shown;
			dnd.update(options());
		});
		return {
			update: (now: boolean) => {
				enabled = now;
				dnd.update(options());
			},
			destroy: () => {
				node.removeEventListener('mousedown', grab, true);
				node.removeEventListener('touchstart', grab, true);
				node.removeEventListener('consider', consider);
				node.removeEventListener('finalize', finalize);
				window.removeEventListener('mouseup', release);
				window.removeEventListener('touchend', release);
				dnd.destroy();
			}
		};
	};

	/** One step at a time, as the arrow keys do it. */
	async step(from: number, by: number) {
		const items = this.#o.items();
		const to = from + by;
		if (this.#o.disabled() || to < 0 || to >= items.length) return;
		const { id } = items[from];
		this.#o.move(from, to);
		await tick();
		const at = this.#o.items().findIndex((x) => x.id === id);
		alertToScreenReader(`Place ${at + 1} of ${items.length} in ${this.#o.label()}`);
		this.#node?.querySelector<HTMLElement>(`[data-handle="${CSS.escape(id)}"]`)?.focus();
	}

	/** What the button gets by which the thing at a place is moved. */
	handle(place: number, what: string, across = false) {
		const items = this.shown;
		return {
			// no real button: the library takes those for inputs, in which nothing is dragged
			role: 'button' as const,
			tabindex: 0,
			'data-handle': items[place]?.id,
			'aria-label': `Place ${place + 1} of ${items.length} in ${this.#o.label()}: ${what}`,
			title: `Drag it to another place, or move it with ${across ? '← →' : '↑ ↓'}`,
			onkeydown: (e: KeyboardEvent) => {
				const by = e.altKey || e.ctrlKey || e.metaKey ? 0 : (STEP[across ? 1 : 0][e.key] ?? 0);
				if (!by) return;
				e.preventDefault();
				e.stopPropagation();
				void this.step(place, by);
			}
		};
	}
}

const STEP: Record<string, number>[] = [
	{ ArrowUp: -1, ArrowDown: 1 },
	{ ArrowLeft: -1, ArrowRight: 1 }
];

/** A row of a table that is lifted out of it has no columns to keep its cells apart. */
function keepWidths(el?: HTMLElement) {
	if (!el || el.tagName !== 'TR' || el.dataset.kept) return;
	el.dataset.kept = '';
	el.style.display = 'flex';
	el.style.background = 'var(--color-sheet)';
	const from = document.querySelector<HTMLElement>(`[data-dragged="${el.dataset.dragged}"]`);
	[...el.children].forEach((c, i) => {
		const width = (from?.children[i] as HTMLElement | undefined)?.offsetWidth;
		if (width) (c as HTMLElement).style.width = `${width}px`;
		(c as HTMLElement).style.flex = '0 0 auto';
	});
}
