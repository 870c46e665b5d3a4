/** One piece of a job: begun, carried out by its kind, and ended in whatever way it ends. */
import type { JobKind } from '../db/jobs';
import { isStopping, noteBegun, noteEnded, noteProgress, readJob } from '../db/jobs';
import { db } from '../db/pool';
import { dbTrouble } from '../db/trouble';
import { BadInput } from '../../door';
import { log } from '../http/log';
import { dryRun } from '../imports/dry-run';
import { importPiece } from '../imports/piece';
import { Stopped, type JobRun } from './run';
import { rehearsal } from './rehearsal';

/** Longest time that a job may take, milliseconds. */
const LIMIT = Number(process.env.RIGID_JOB_LIMIT ?? 3_600_000);

/** Each kind of job does a piece, and ends the job when that was the last. */
const KINDS: Readonly<Record<JobKind, (run: JobRun) => Promise<void>>> = {
	import: importPiece,
	'dry run': dryRun,
	rehearsal
};

/** Works on the next piece of a job. @throws when the database is away: the queue gives the piece again */
export async function workOn(id: string): Promise<void> {
	const job = await readJob(db(), id);
	if (!job || job.ended) return;
	const over = () => job.began !== null && Date.now() - Date.parse(job.began) > LIMIT;
	const look = async () => {
		if (await isStopping(db(), id)) throw new Stopped();
		if (over())
			throw new BadInput(
				`It took longer than ${Math.round(LIMIT / 60_000)} minutes and was ended.`
			);
	};
	try {
		await noteBegun(db(), id);
		await look();
		await KINDS[job.kind]({
			job,
			async progress(done, of) {
				await noteProgress(db(), id, { done, of });
				await look();
			}
		});
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
