/**
 * What the person at this page did to the draft, to be taken back and done again. Steps are edits as
 * values, so a step takes back what this person did and never what others did meanwhile.
 */
import type { Edit, Model, Piece, RuleSet } from '$core';
import { applied, editBetween, modelEditBetween, reversed } from '$core';

/** Edits with one label in quick succession are one step. Milliseconds. */
const JOINS_WITHIN = 1200;
const MOST_STEPS = 200;
/** Where a tab keeps its steps, and the most characters of them. */
const KEPT = 'steps';
const MOST_KEPT = 1_000_000;

/** What the steps are taken in. */
export interface Worked {
	set: RuleSet;
	model: Model;
}

/** What taking a step back, or doing it again, came to. */
export interface Stepped extends Worked {
	label: string;
	/** Whether it was a step in the draft or in the model. */
	of: 'draft' | 'model';
	/** What it changed, as it was carried out. */
	pieces: Piece[];
	/** Pieces that somebody changed since: where there are any, nothing was done, and the step is gone. */
	refused: Piece[];
}

type Step = Edit & { of: Stepped['of'] };

export class History {
	#done = $state.raw<Step[]>([]);
	#undone = $state.raw<Step[]>([]);
	/** The state before the newest step, while typing may still join it. */
	#open: { label: string; at: number; from: RuleSet; gesture: number } | null = null;
	/** Which press of a button lasts; nought where none is held. */
	#gesture = 0;
	#gestures = 0;

	get undoLabel(): string | null {
		return this.#done.at(-1)?.label ?? null;
	}
	get redoLabel(): string | null {
		return this.#undone.at(-1)?.label ?? null;
	}

	/** A button is held, or let go: what one drag changes is one step, however slow the hand. */
	hold(on: boolean) {
		this.#gesture = on ? ++this.#gestures : 0;
	}

	/** Takes note of an edit of the draft. */
	note(label: string, before: RuleSet, after: RuleSet, now = Date.now()) {
		const open = this.#open;
		const gesture = this.#gesture;
		const joins =
			open?.label === label &&
			(now - open.at < JOINS_WITHIN || (gesture > 0 && open.gesture === gesture));
		const from = joins ? open.from : before;
		const had = joins ? this.#done.slice(0, -1) : this.#done;
		this.#push(had, { ...editBetween(label, from, after), of: 'draft' });
		this.#open = { label, at: now, from, gesture };
	}

	/**
	 * Takes note of an edit of the model, which is a step of its own.
	 * @returns forgets it: the server did not take it
	 */
	noteModel(label: string, before: Model, after: Model): () => void {
		const step: Step = { ...modelEditBetween(label, before, after), of: 'model' };
		this.#push(this.#done, step);
		this.#open = null;
		return () => {
			this.#done = this.#done.filter((s) => s !== step);
			this.#undone = this.#undone.filter((s) => s !== step);
		};
	}

	#push(had: Step[], step: Step) {
		this.#done = [...had.slice(1 - MOST_STEPS), step];
		this.#undone = [];
	}

	/**
	 * Keeps the steps for this tab, so that a page that is loaded again still has them. A step only ever
	 * takes back what still stands as it left it, so an old one does no harm.
	 * @param under what the steps lie in: whose they are, and of which release
	 */
	keep(store: Storage, under: string) {
		let done = this.#done;
		let text = JSON.stringify({ under, done, undone: this.#undone });
		while (text.length > MOST_KEPT && done.length) {
			done = done.slice(Math.ceil(done.length / 2));
			text = JSON.stringify({ under, done, undone: [] });
		}
		try {
			store.setItem(KEPT, text);
		} catch {
			// a full store keeps nothing; the steps of this page stay
		}
	}

	/** Takes up the steps that were kept, where they lie in the same. */
	takeUp(store: Storage, under: string) {
		const text = store.getItem(KEPT);
		if (!text || this.#done.length) return;
		const kept = JSON.parse(text) as { under: string; done: Step[]; undone: Step[] };
		if (kept.under !== under) return;
		this.#done = kept.done;
		this.#undone = kept.undone;
	}

	/** What comes next is a step of its own: the draft was loaded, or somebody moved on. */
	close() {
		this.#open = null;
	}

	clear() {
		this.#done = [];
		this.#undone = [];
		this.#open = null;
	}

	undo(now: Worked): Stepped | null {
		const step = this.#done.at(-1);
		if (!step) return null;
		this.#done = this.#done.slice(0, -1);
		const stepped = this.#take(now, step, reversed(step).pieces);
		if (!stepped.refused.length) this.#undone = [...this.#undone, step];
		return stepped;
	}

	redo(now: Worked): Stepped | null {
		const step = this.#undone.at(-1);
		if (!step) return null;
		this.#undone = this.#undone.slice(0, -1);
		const stepped = this.#take(now, step, step.pieces);
		if (!stepped.refused.length) this.#done = [...this.#done, step];
		return stepped;
	}

	#take(now: Worked, { of, label }: Step, pieces: Piece[]): Stepped {
		this.#open = null;
		const done = of === 'draft' ? applied(now.set, pieces) : applied(now.model, pieces);
		const { refused } = done;
		const kept = { ...now, label, of, pieces, refused };
		if (refused.length) return kept;
		return of === 'draft'
			? { ...kept, set: done.set as RuleSet }
			: { ...kept, model: done.set as Model };
	}
}
