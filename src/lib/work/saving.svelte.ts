/** Stores the draft behind the edits: what an edit touched, piece by piece, and no more. */
import type { Piece, RuleSet } from '$core';
import { acceptedAs, applied, editBetween } from '$core';
import { Refused, ask } from './http';

/** What the server says of a step it stored. */
export interface Step {
	revision: number;
	was: number;
}

export type Saving = 'saved' | 'saving' | 'waiting' | 'conflict' | 'refused';

/** Milliseconds between an edit and sending it, and before asking again when the server cannot be reached. */
const SOON = 350;
const AGAIN = 3000;

export class Saver {
	state = $state<Saving>('saved');
	trouble = $state<string | null>(null);
	/** What the server holds, as far as is known here. */
	#stored: RuleSet = { rules: [], order: {} };
	#timer: ReturnType<typeof setTimeout> | null = null;
	#flushing: Promise<void> | null = null;

	/**
	 * @param draft the draft as it stands now
	 * @param stored told of the step that the server stored
	 * @param overtaken told that somebody else was first: what they stored is to be loaded
	 */
	constructor(
		private readonly draft: () => RuleSet,
		private readonly stored: (step: Step) => void = () => undefined,
		private readonly overtaken: () => void = () => undefined
	) {}

	/** The page begins with what the server holds. */
	begin(set: RuleSet) {
		this.#stored = set;
	}

	/** The draft was edited. */
	edited() {
		// what was refused is sent again with what mends it
		if (this.state !== 'saving') this.state = 'waiting';
		this.#schedule(SOON);
	}

	#schedule(ms: number) {
		if (this.#timer) clearTimeout(this.#timer);
		this.#timer = setTimeout(() => void this.flush(), ms);
	}

	/** Stores what was edited; resolves when the server has it or has said why not. */
	async flush(): Promise<void> {
		if (this.#timer) clearTimeout(this.#timer);
		this.#timer = null;
		while (this.#flushing) await this.#flushing;
		if (this.state !== 'waiting') return;
		this.#flushing = this.#store();
		try {
			await this.#flushing;
		} finally {
			this.#flushing = null;
		}
	}

	async #store() {
		this.state = 'saving';
		const target = this.draft();
		const { pieces } = editBetween('', this.#stored, target);
		try {
			if (pieces.length)
				this.stored(
					await ask<Step>('/draft', { method: 'PATCH', body: { pieces }, lasting: true })
				);
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			if (e.unreachable) {
				// the edits stay here and are sent again
				this.state = 'waiting';
				this.trouble = 'The server cannot be reached. Your edits are kept here and sent again.';
				this.#schedule(AGAIN);
				return;
			}
			this.state = e.status === 409 ? 'conflict' : 'refused';
			this.trouble = e.message;
			if (this.state === 'conflict') this.overtaken();
			return;
		}
		this.#stored = target;
		this.trouble = null;
		if (this.draft() === target) this.state = 'saved';
		else {
			this.state = 'waiting';
			this.#schedule(50);
		}
	}

	/**
	 * The server's draft was loaded. Edits that it does not have yet stay, where what they found still
	 * stands; of the others the stored state is taken.
	 * @returns the draft to go on with (the present one while a request is under way), and the edits
	 * that others had overtaken
	 */
	loaded(theirs: RuleSet): { set: RuleSet; lost: Piece[] } {
		const mine = this.draft();
		if (this.state === 'saving') return { set: mine, lost: [] };
		const pending = this.state === 'refused' ? [] : editBetween('', this.#stored, mine).pieces;
		// what stays the same stays the very same object, so that it is not compiled again
		const base = acceptedAs(applied(mine, editBetween('', mine, theirs).pieces).set, theirs);
		this.#stored = base;
		const { set, refused } = applied(base, pending);
		this.trouble = null;
		if (set === base) this.state = 'saved';
		else this.edited();
		return { set, lost: refused };
	}
}
