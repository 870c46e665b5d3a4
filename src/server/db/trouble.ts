/** What the database said when it could not do what was asked, and whether it may do it in a moment. */

/** Why something was not done, in words, and after how many seconds it is worth trying again. */
export interface DbTrouble {
	message: string;
	/** Seconds. */
	again: number;
}

const GONE = 'The database cannot be reached just now. Nothing was stored; try again in a moment.';
const UNKNOWN =
	'The database went away while this was being stored. Whether it was is not known: look before you do it again.';
const BUSY = 'The database is busy just now. Nothing was stored; try again in a moment.';
const HELD =
	'Somebody else is working on the same records. Nothing was stored; try again in a moment.';
const LONG = 'This took longer than the database may. Nothing was stored.';
const FULL = 'The disk of the database is full. Nothing was stored; make room, then try again.';

/** The connection was lost while a transaction was being committed: nobody can say which it came to. */
export class OutcomeUnknown extends Error {
	constructor(cause: unknown) {
		super(UNKNOWN, { cause });
		this.name = 'OutcomeUnknown';
	}
}

/** By the code of PostgreSQL or of the network. https://www.postgresql.org/docs/15/errcodes-appendix.html */
const BY_CODE: Readonly<Record<string, [message: string, again: number]>> = {
	// admin_shutdown, crash_shutdown, cannot_connect_now
	'57P01': [GONE, 2],
	'57P02': [GONE, 2],
	'57P03': [GONE, 2],
	// too_many_connections, out_of_memory
	'53300': [BUSY, 2],
	'53200': [BUSY, 5],
	// disk_full, and what a failed extension of a file is told as
	'53100': [FULL, 60],
	'58030': [FULL, 60],
	// lock_not_available; query_canceled, which is the limit of a statement; an idle transaction that was ended
	'55P03': [HELD, 2],
	'57014': [LONG, 10],
	'25P03': [GONE, 2],
	ECONNREFUSED: [GONE, 2],
	ECONNRESET: [GONE, 2],
	ENOTFOUND: [GONE, 5],
	EAI_AGAIN: [GONE, 5],
	EPIPE: [GONE, 2],
	ETIMEDOUT: [GONE, 5],
	ENOSPC: [FULL, 60]
};

/**
 * A new connection writes down what it found out about the catalogue for those after it, when something in
 * the catalogue changed; PostgreSQL 15 ends it without a code when there is no room for that.
 */
const NO_ROOM_TO_CONNECT = /could not write init file/;

/** Whether no new connection could be made because the disk is full. Those there are go on. */
export const isNoRoomToConnect = (e: unknown): boolean =>
	e instanceof Error && NO_ROOM_TO_CONNECT.test(e.message);

/** What is said without a code that tells it. */
const BY_WORDS: readonly [RegExp, [message: string, again: number]][] = [
	[NO_ROOM_TO_CONNECT, [FULL, 60]],
	[/timeout exceeded when trying to connect/i, [BUSY, 2]],
	[/connection terminated|client has encountered a connection error|not queryable/i, [GONE, 2]]
];

/** What it is about an error of the database that passes; null for any other error. */
export function dbTrouble(e: unknown): DbTrouble | null {
	if (!(e instanceof Error)) return null;
	if (e instanceof OutcomeUnknown) return { message: UNKNOWN, again: 2 };
	// a host with several addresses fails with all of them
	if (e instanceof AggregateError) return e.errors.map(dbTrouble).find((t) => t !== null) ?? null;
	const { code } = e as { code?: unknown };
	const found =
		(typeof code === 'string' && (BY_CODE[code] ?? (code.startsWith('08') ? [GONE, 2] : null))) ||
		BY_WORDS.find(([words]) => words.test(e.message))?.[1];
	return found ? { message: found[0] as string, again: found[1] as number } : null;
}

/** What PostgreSQL says of values that it cannot hold, class 22 of its codes and two beside it. */
const UNFIT: Readonly<Record<string, string>> = {
	'22003': 'A number is larger than can be stored.',
	'22007': 'A date or time cannot be read.',
	'22008': 'A date is outside of what can be stored: years go from 1 to 9999.',
	'22021': 'A text holds a sign that cannot be stored.',
	'22P02': 'A value has not the form that is stored there.',
	'22P05': 'A text holds a sign that cannot be stored.',
	'23503': 'Something that this points to is no longer there.',
	'54000': 'This is larger than can be stored.'
};

/**
 * What it is about an error of the database that lies in what was sent, in words that tell nothing of the
 * database; null for any other. What comes so far was let through by a check that should have seen it.
 */
export function dataFault(e: unknown): string | null {
	const code = e instanceof Error ? (e as { code?: unknown }).code : null;
	if (typeof code !== 'string') return null;
	return UNFIT[code] ?? (code.startsWith('22') ? 'A value cannot be stored.' : null);
}
