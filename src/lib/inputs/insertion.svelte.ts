/** Where a field goes that is picked in the ledger: the formula in which the cursor was last. */
export interface Insertion {
	/** Record type whose fields it speaks of. */
	type: string | null;
	/** What the editor is for. */
	label: string;
	insert: (text: string) => void;
}

class Insertions {
	/** Null while no formula is being written. */
	at = $state.raw<Insertion | null>(null);

	/** The editor goes away. */
	release(mine: Insertion) {
		if (this.at === mine) this.at = null;
	}
}

export const insertions = new Insertions();
