/**
 * What the person at this page did to the draft, to be taken back and done again. Steps are edits as
 * values, so a step takes back what this person did and never what others did meanwhile.
 */
import type { Edit, Piece, RuleSet } from '$core';
import { applied, editBetween, reversed } from '$core';

/** Edits with one label in quick succession are one step. Milliseconds. */
const JOINS_WITHIN = 1200;
const MOST_STEPS = 200;

/** What taking a step back, or doing it again, came to. */
export interface Stepped {
	set: RuleSet;
	label: string;
	/** What it changed, as it was carried out. */
	pieces: Piece[];
	/** Pieces that somebody changed since: where there are any, nothing was done, and the step is gone. */
	refused: Piece[];
}

export class History {
	#done = $state.raw<Edit[]>([]);
	#undone = $state.raw<Edit[]>([]);
	/** The state before the newest step, while typing may still join it. */
	#open: { label: string; at: number; from: RuleSet } | null = null;

	get undoLabel(): string | null {
		return this.#done.at(-1)?.label ?? null;
	}
	get redoLabel(): string | null {
		return this.#undone.at(-1)?.label ?? null;
	}

	/** Takes note of an edit. */
	note(label: string, before: RuleSet, after: RuleSet, now = Date.now()) {
		const open = this.#open;
		const joins = open !== null && open.label === label && now - open.at < JOINS_WITHIN;
		const from = joins ? open.from : before;
		const edit = editBetween(label, from, after);
		const had = joins ? this.#done.slice(0, -1) : this.#done;
		this.#done = [...had.slice(1 - MOST_STEPS), edit];
		this.#undone = [];
		this.#open = { label, at: now, from };
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

	undo(set: RuleSet): Stepped | null {
		const step = this.#done.at(-1);
		if (!step) return null;
		this.#open = null;
		this.#done = this.#done.slice(0, -1);
		const { pieces } = reversed(step);
		const { set: next, refused } = applied(set, pieces);
		if (refused.length) return { set, label: step.label, pieces, refused };
		this.#undone = [...this.#undone, step];
		return { set: next, label: step.label, pieces, refused };
	}

	redo(set: RuleSet): Stepped | null {
		const step = this.#undone.at(-1);
		if (!step) return null;
		this.#open = null;
		this.#undone = this.#undone.slice(0, -1);
		const { pieces } = step;
		const { set: next, refused } = applied(set, pieces);
		if (refused.length) return { set, label: step.label, pieces, refused };
		this.#done = [...this.#done, step];
		return { set: next, label: step.label, pieces, refused };
	}
}
