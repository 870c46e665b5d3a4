/**
 * What is done beside requests: messages handed over, and changes carried on that ran on to too many
 * records for one transaction. All of it lies in PostgreSQL, so a server that is killed loses
 * nothing, and any number of servers may do it together.
 */
import { carryOnPiece } from '../records';
import type { CarriedPiece } from '../db/carried';
import { nextPiece, notePendingTrouble } from '../db/carried';
import { givenUp, hurry, noteEnded, takeFromDead } from '../db/jobs';
import { anyWorkspace, forgetOld } from '../db/people';
import { forgetBeyond, readKeep } from '../db/retention';
import { countUp } from '../db/tally';
import { moveHistory } from '../db/earlier-history';
import { db } from '../db/pool';
import { dbTrouble } from '../db/trouble';
import { log } from '../http/log';
import { queueLineOfDay } from './line';
import { tellHooks } from '../outside/hooks';
import { postDue } from '../outside/lead-source';
import { deliver } from '../outside/outbox';

/** Records settled in one transaction. */
const PIECE = 500;
/** How often what nobody needs any more is forgotten, milliseconds. */
const TIDY_MS = 600_000;

/**
 * Carries on what is left of changes that were put off. Returns how many records were settled.
 * @param most stops after that many pieces
 */
export async function carryOn(most = Infinity): Promise<number> {
	let done = 0;
	let size = PIECE;
	let piece: CarriedPiece | null = null;
	const locks = new Map<string, Set<string>>();
	let locksOf = '';
	for (let i = 0; i < most; i++) {
		piece = await nextPiece(db(), size, piece);
		if (!piece) return done;
		const { carried, before, records, ...sender } = piece;
		if (carried !== locksOf) locks.clear();
		locksOf = carried;
		try {
			const settled = await carryOnPiece({ sender, carried, before, records }, locks);
			// somebody else is at it
			if (!settled) return done;
			done += settled;
			size = PIECE;
		} catch (e) {
			// one record that cannot be settled must not hold up the others: find it by going one by one
			log.warn({ carried, reason: (e as Error).message }, 'carrying a change on failed');
			if (records.length === 1)
				await notePendingTrouble(db(), carried, records, (e as Error).message);
			size = 1;
		}
	}
	return done;
}

let moved = false;
/** Milliseconds of each round in which history of an earlier version is moved. */
const MOVING_MS = 500;

/** Moves some of what an earlier version stored of history, as long as there is any. */
async function moveOn() {
	const until = Date.now() + MOVING_MS;
	while (!moved && Date.now() < until) {
		const { changes, more } = await moveHistory(db());
		// somebody else is at it
		if (!changes && more) return;
		moved = !more;
	}
}

let counted = 0;
/** How often what rules did is counted, milliseconds; sooner while there is more. */
const COUNT_MS = 10_000;

/** Counts what rules did since it was last counted. */
async function count() {
	// what is moved meanwhile does not know yet whose values it followed on
	if (!moved || Date.now() - counted < COUNT_MS) return;
	const at = await anyWorkspace(db());
	if (!at) return;
	const until = Date.now() + MOVING_MS;
	let more = true;
	while (more && Date.now() < until) more = await countUp(at.workspace);
	if (!more) counted = Date.now();
}

let tidied = 0;

/** What is older than the settings want it kept. */
async function forget() {
	const at = await anyWorkspace(db());
	if (!at) return;
	const gone = await forgetBeyond(db(), at.workspace, await readKeep(db(), at.workspace));
	if (Object.keys(gone).length)
		log.info({ gone }, 'what is older than the settings keep it is gone');
}

let lined = 0;
/** How often is asked whether a new day has begun, milliseconds. */
const LINE_MS = 60_000;

/** Looks once a day for what is out of line. */
async function line() {
	// what is moved meanwhile does not know yet who kept what
	if (!moved || Date.now() - lined < LINE_MS) return;
	const at = await anyWorkspace(db());
	if (at) await queueLineOfDay(at.workspace, Date.now());
	lined = Date.now();
}

/** What jobs of servers that are gone were at, and jobs that nobody will do any more. */
async function jobs() {
	await takeFromDead(db());
	await hurry(db());
	for (const { id, message } of await givenUp(db()))
		await noteEnded(db(), id, { state: 'failed', message });
}

async function tidy() {
	if (Date.now() - tidied < TIDY_MS) return;
	await forgetOld(db());
	await forget();
	tidied = Date.now();
}

/** One round of what is done beside requests. Returns whether all of it went well. */
export async function turn(): Promise<boolean> {
	let well = true;
	// what fails keeps nothing that has nothing to do with it from being done
	for (const work of [carryOn, moveOn, count, line, jobs, tidy])
		try {
			await work();
		} catch (e) {
			well = false;
			// the database may be away for a moment; the next turn tries again
			if (dbTrouble(e)) {
				log.warn({ err: e }, 'background work waits for the database');
				break;
			}
			log.error({ err: e }, 'background work failed');
		}
	return well;
}

/** One round of what goes to systems outside: messages, webhooks, and what the stand-in for a source of leads posts. */
export async function outside(): Promise<void> {
	const done = await Promise.allSettled([deliver(), tellHooks(), postDue()]);
	for (const x of done)
		if (x.status === 'rejected') {
			if (dbTrouble(x.reason))
				log.warn({ err: x.reason }, 'what is to leave waits for the database');
			else log.error({ err: x.reason }, 'telling systems outside failed');
		}
}
