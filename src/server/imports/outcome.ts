/** What became of a row, as it is kept and shown. */
import type { RowOutcome } from '../db/imports';
import {
	RefusedChange,
	isMadeUp,
	type SaveOutcome,
	type Submission,
	type SubmissionFault
} from '../records';
import type { Ready } from './rows';

const NOTHING = {
	changes: [],
	setAside: [],
	nothing: [],
	advice: [],
	reached: 0,
	sent: 0,
	pending: 0
};

/** Of a row that was refused, before anything was tried or by the rules. */
const refusedRow = (faults: SubmissionFault[], id: string | null = null): RowOutcome => ({
	...NOTHING,
	is: 'refused',
	id,
	faults
});

/** Of a row that was a change. */
function outcomeOf(o: SaveOutcome[] | RefusedChange, id: string | null): RowOutcome {
	if (o instanceof RefusedChange) return refusedRow(o.faults, id);
	const [r] = o;
	return {
		is: r.created ? 'created' : r.changes.length ? 'changed' : 'same',
		id: isMadeUp(r.id) ? null : r.id,
		faults: [],
		changes: r.changes.map(({ field, to, rule, because }) => ({ field, to, rule, because })),
		setAside: r.setAside.map(({ field, sent, rule }) => ({ field, sent, rule })),
		nothing: r.nothing.map(({ field, because }) => ({ field, because })),
		advice: [...r.messages, ...r.failures].map((m) => m.message),
		reached: r.reached.length,
		sent: r.sent,
		pending: r.pending
	};
}

/** Of the rows of a piece: of those that are changes by what came of them, of the others by what is wrong. */
export function rowOutcomes(
	ready: readonly Ready[],
	outcomes: readonly (SaveOutcome[] | RefusedChange)[]
): { line: number; outcome: RowOutcome }[] {
	let k = 0;
	return ready.map(({ line, submission, faults }) => ({
		line,
		outcome: submission ? outcomeOf(outcomes[k++], submission.id) : refusedRow(faults)
	}));
}

/** The changes of a piece, one for each row that is one. */
export const changesOf = (ready: readonly Ready[]): Submission[][] =>
	ready.flatMap(({ submission }) => (submission ? [[submission]] : []));
