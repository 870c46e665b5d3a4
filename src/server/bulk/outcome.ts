/** What becomes of a record of a bulk change, as it is kept and shown. */
import { RefusedChange, type SaveOutcome } from '../records';
import type { BulkOutcome, FilledBy } from '../db/bulk';
import type { ToSend } from './to-send';

const NOTHING: Omit<BulkOutcome, 'is'> = {
	faults: [],
	changes: [],
	setAside: [],
	advice: [],
	reached: 0,
	sent: 0,
	byHand: false
};

/** Of a record that is deleted. */
export const deleted: BulkOutcome = { ...NOTHING, is: 'changed', gone: true };

/** Of a record that is made again: all that it holds again. */
export function restoredAs(o: SaveOutcome[] | RefusedChange): BulkOutcome {
	const told = outcomeOf(o, false);
	return told.is === 'refused' ? told : { ...told, is: 'changed', setAside: [], again: true };
}

/** Of a record that was refused. */
export const refused = (faults: BulkOutcome['faults']): BulkOutcome => ({
	...NOTHING,
	is: 'refused',
	faults
});

/** Of one to which nothing is sent; null where something is. */
export function unsent(
	{ sent, spared, fault, byHand }: ToSend,
	onRequest: boolean
): BulkOutcome | null {
	if (fault !== null) return refused([{ field: null, message: fault }]);
	if (spared) return { ...NOTHING, is: 'spared', byHand };
	return sent.length || onRequest ? null : { ...NOTHING, is: 'same' };
}

/** Of one that was settled. */
export function outcomeOf(
	o: SaveOutcome[] | RefusedChange,
	byHand: boolean,
	event?: FilledBy
): BulkOutcome {
	if (o instanceof RefusedChange) return refused(o.faults);
	const [r] = o;
	return {
		is: r.changes.length ? 'changed' : 'same',
		faults: [],
		changes: r.changes.map(({ field, from, to, rule, because }) => ({
			field,
			from,
			to,
			rule,
			because
		})),
		setAside: r.setAside.map(({ field, sent, rule }) => ({ field, sent, rule })),
		advice: [...r.messages, ...r.failures].map((m) => m.message),
		reached: r.reached.length,
		sent: r.sent,
		byHand,
		...(event ? { event } : {})
	};
}

/** What of an outcome decides whether it is the same. */
export const decided = ({ is, changes }: BulkOutcome): string =>
	JSON.stringify([is, changes.map((c) => [c.field, c.from, c.to])]);
