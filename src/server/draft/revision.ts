/**
 * The draft has a revision: a number that goes up with every step that is stored, of rules, orders,
 * definitions, tables, trials and the model alike. Whoever edits, releases or replaces it says which
 * one they saw; whoever looks at it hears of the next.
 */
import { announce } from '../db/notices';
import type { Account } from '../db/people';
import type { Db } from '../db/pool';
import { raiseRevision, revisionOf } from '../db/rules';

export { revisionOf };

/** A stored step. */
export interface Step {
	revision: number;
	/** The one before it: whoever saw another has missed what others did. */
	was: number;
}

/** The draft, or what is in force, is no longer what the sender looked at. */
export class DraftMoved extends Error {}

/** Counts a step that was just stored, in its transaction, and tells whoever looks at the draft. */
export async function counted(db: Db, by: Account): Promise<Step> {
	const revision = await raiseRevision(db, by.workspace);
	await announce(db, {
		kind: 'changed',
		workspace: by.workspace,
		revision,
		account: by.id,
		name: by.name
	});
	return { revision, was: revision - 1 };
}

/**
 * Holds up whoever looked at another draft than the one that stands.
 * @throws {DraftMoved}
 */
export async function needsRevision(db: Db, workspace: string, seen: number): Promise<void> {
	if ((await revisionOf(db, workspace)) !== seen)
		throw new DraftMoved('The draft changed since you looked at it. Look again, then go on.');
}
