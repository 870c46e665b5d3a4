/** One piece of a job: begun, carried out by its kind, and ended in whatever way it ends. */
import type { Job, JobKind } from '../db/jobs';
import { askedOfJob, noteBegun, noteEnded, notePaused, noteProgress, readJob } from '../db/jobs';
import { cancelBackends, db, knowingBackends, type Backends } from '../db/pool';
import { dbTrouble } from '../db/trouble';
import { BadInput } from '../../door';
import { log } from '../http/log';
import { bulkLook } from '../bulk/look';
import { bulkPiece } from '../bulk/piece';
import { dryRun } from '../imports/dry-run';
import { importPiece } from '../imports/piece';
import { analysis } from './analysis';
import { indexing } from './indexing';
import { Stopped, type JobRun } from './run';
import { lining } from './line';
import { rehearsal } from './rehearsal';
import { replaying } from './replay';

/** Longest time that a job may take, milliseconds. */
const LIMIT = Number(process.env.RIGID_JOB_LIMIT ?? 3_600_000);
/** How often a piece that is carried out is looked after, milliseconds. */
const LOOK_EVERY = 400;

/** Each kind of job does a piece, and ends the job when that was the last. */
const KINDS: Readonly<Record<JobKind, (run: JobRun) => Promise<void>>> = {
	import: importPiece,
	'dry run': dryRun,
	rehearsal,
	replay: replaying,
	analysis,
	'bulk look': bulkLook,
	'bulk change': bulkPiece,
	'out-of-line look': lining,
	indexing
};

/** What the queue holds of a piece. */
export interface Piece {
	job: string;
	range?: number;
}

/** Why a job is not to go on; null as long as it is. */
async function endOf(job: Job): Promise<Error | null> {
	if ((await askedOfJob(db(), job.id)).stopping) return new Stopped();
	const from = Date.parse(job.resumed ?? job.began ?? '');
	return Date.now() - from > LIMIT
		? new BadInput(`It took longer than ${Math.round(LIMIT / 60_000)} minutes and was ended.`)
		: null;
}

/**
 * Carries a piece out, and looks meanwhile whether it is to end: then what PostgreSQL does for it is cancelled,
 * however long it would have taken.
 * @throws what ended it
 */
async function lookedAfter(job: Job, range: number | null): Promise<void> {
	const backends: Backends = new Set();
	const stop = new AbortController();
	const look = async () => {
		const end = await endOf(job);
		if (end) stop.abort(end);
		stop.signal.throwIfAborted();
	};
	let looking = false;
	const watch = setInterval(() => {
		if (looking || stop.signal.aborted) return;
		looking = true;
		look()
			.catch(() => (stop.signal.aborted ? cancelBackends(db(), backends) : undefined))
			// the database is away: the piece itself will hear of it
			.catch(() => undefined)
			.finally(() => (looking = false));
	}, LOOK_EVERY);
	try {
		await look();
		await knowingBackends(backends, () =>
			KINDS[job.kind]({
				job,
				range,
				signal: stop.signal,
				async progress(done, of) {
					await noteProgress(db(), job.id, { done, of });
					await look();
				}
			})
		);
	} catch (e) {
		// what was cancelled fails in its own words
		throw stop.signal.aborted ? stop.signal.reason : e;
	} finally {
		clearInterval(watch);
	}
}

/** Works on a piece of a job. @throws when the database is away: the queue gives the piece again */
export async function workOn({ job: id, range }: Piece): Promise<void> {
	const asked = await askedOfJob(db(), id);
	if (asked.ended) return;
	// whoever goes on with it puts what is left into the queue again
	if (asked.pausing && !asked.stopping) return notePaused(db(), id);
	await noteBegun(db(), id);
	const job = (await readJob(db(), id))!;
	try {
		await lookedAfter(job, range ?? null);
	} catch (e) {
		if (e instanceof Stopped) return noteEnded(db(), id, { state: 'cancelled' });
		// what passes is tried again by the queue, later each time
		if (dbTrouble(e)) throw e;
		if (!(e instanceof BadInput)) log.error({ err: e, job: id }, 'a job failed');
		const message =
			e instanceof BadInput
				? e.message
				: `Something went wrong here; the log has it under job ${id}.`;
		await noteEnded(db(), id, { state: 'failed', message });
	}
}
