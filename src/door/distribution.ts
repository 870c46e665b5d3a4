/** How the values of a field lie over the records that exist, small enough to travel however many there are. */

/**
 * Some records, by a number or date field of theirs.
 *
 * Each stretch says its least and its greatest value, and how many records have one in it; they rise, and no two share a
 * value. Days are counted from 1970.
 */
export interface Distribution {
	stretches: readonly (readonly [least: number, greatest: number, records: number])[];
	/** Records without a value. */
	blank: number;
}

/** So many values stand each for itself; of more, so many stretches have about as many records each. */
export const MOST_STRETCHES = 5_000;
