/** A piece of a job that saves changes: what becomes of them is kept in their own transaction. */
import type pg from 'pg';
import { askedOfJob, lockJob, queuePiece } from '../db/jobs';
import { transaction, type Db } from '../db/pool';
import {
	inForce,
	saveInOrder,
	type InForce,
	type RefusedChange,
	type SaveOutcome,
	type Sender,
	type Submission
} from '../records';
import type { JobRun } from './run';

/** Another worker has done this piece meanwhile, or the job was stopped: nothing of it is stored. */
export class DoneElsewhere extends Error {}

/** The model changed since the changes of a piece were read: they may mean something else by now, and are read anew. */
class ReadAnew extends Error {}

/**
 * Saves the changes of a piece. Of two workers that have the same one, the second waits for the first, finds it
 * done and queues the next.
 * @param run of which of its ranges it is, where it was cut into some
 * @param by what the changes were read by: where the model is another when they are saved, nothing is stored and the piece begins again
 * @param keep keeps the outcomes and queues what follows, in the same transaction @throws {DoneElsewhere}
 */
export async function savePiece(
	{ job: { id }, range }: Pick<JobRun, 'job' | 'range'>,
	sender: Sender,
	by: Pick<InForce, 'modelRevision'>,
	changes: readonly (readonly Submission[])[],
	keep: (
		client: pg.PoolClient,
		outcomes: readonly (SaveOutcome[] | RefusedChange)[]
	) => Promise<void>
): Promise<void> {
	const around = {
		async before(client: pg.PoolClient) {
			await lockJob(client, id, range);
			if ((await askedOfJob(client, id)).stopping) throw new DoneElsewhere();
		},
		after: keep
	};
	const force = async (client: Db, workspace: string) => {
		const now = await (sender.force ?? inForce)(client, workspace);
		if (now.modelRevision !== by.modelRevision) throw new ReadAnew();
		return now;
	};
	try {
		if (changes.length) await saveInOrder({ ...sender, around, force }, changes);
		else
			await transaction(async (c) => {
				await around.before(c);
				await keep(c, []);
			});
	} catch (e) {
		if (!(e instanceof DoneElsewhere || e instanceof ReadAnew)) throw e;
		await transaction((c) => queuePiece(c, id, range));
	}
}
