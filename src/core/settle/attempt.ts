/** One way to tell what became of something that was attempted: it is not at hand yet, or it failed. */
import { Interrupt } from '../feel/budget';

export class PendingRecord extends Interrupt {}
/** One for all: it says no more than that, and is thrown too often to note each time where. */
export const PENDING = new PendingRecord();

const NOT_AT_HAND = 'It reads a record that is not at hand yet.';

/** Why something could not be worked out: a record is not at hand yet, or it failed. */
export interface Failure {
	pending: boolean;
	message: string;
}

/** What was thrown while a formula ran, whatever it is: it fails what ran, and never settling. */
export function failure(e: unknown): Failure {
	if (e instanceof PendingRecord) return { pending: true, message: NOT_AT_HAND };
	if (e instanceof Interrupt) return { pending: false, message: e.message };
	return { pending: false, message: 'It cannot be worked out for this.' };
}
