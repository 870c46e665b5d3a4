/** Where two wrote the same: theirs stands in the draft, and what was written here is kept beside it to be chosen. */
import type { JsonValue, Piece, RuleSet } from '$core';
import { forced, partName, standsAt, touched } from '$core';

/** What was written here where somebody else was first. */
export interface Conflict {
	/** As `rules.r_1`. */
	part: string;
	/** What it lies in, as people know it. */
	name: string;
	by: string | null;
	/** What was written here. */
	pieces: readonly Piece[];
}

export class Conflicts {
	all = $state.raw<readonly Conflict[]>([]);

	/**
	 * @param draft the draft as it stands, with theirs
	 * @param edit makes an edit of it
	 */
	constructor(
		private readonly draft: () => RuleSet,
		private readonly edit: (label: string, set: RuleSet) => void
	) {}

	/**
	 * Keeps what was written here.
	 * @param lost the pieces that found something else
	 * @param mine the draft as it was here
	 * @param authors who stored each part last
	 */
	keep(lost: readonly Piece[], mine: RuleSet, authors: Record<string, string>) {
		const theirs = this.draft();
		const more = touched(lost).map(({ part, id }): Conflict => {
			const pieces = lost.filter((p) => p.path[0] === part && p.path[1] === id);
			const gone = standsAt(theirs, [part, id]) === undefined;
			const whole = standsAt(mine, [part, id]) as JsonValue | undefined;
			return {
				part: `${part}.${id}`,
				name: partName(gone ? mine : theirs, [part, id]),
				by: authors[`${part}.${id}`] ?? null,
				// what they took out comes back whole
				pieces: gone && whole ? [{ path: [part, id], after: whole, behind: null }] : pieces
			};
		});
		const anew = new Set(more.map((c) => c.part));
		this.all = [...this.all.filter((c) => !anew.has(c.part)), ...more];
	}

	/** The draft as it would be with what was written here in the place of what somebody else stored. */
	withMine = (c: Conflict): RuleSet => forced(this.draft(), c.pieces);

	/** Ends a conflict: theirs stays, or what was written here takes its place, in a step that can be undone. */
	settle(c: Conflict, take: 'mine' | 'theirs') {
		if (take === 'mine') this.edit(`yours ${c.part}`, this.withMine(c));
		this.all = this.all.filter((x) => x !== c);
	}
}
