/** A piece of an import: some rows, each a change of its own, with their outcomes in the transaction of the changes. */
import { BadInput } from '../../door';
import { backOfImport } from '../db/bulk';
import { keepOutcomes, nextRows, tallyRows } from '../db/imports';
import { noteEnded, noteProgress, queuePiece } from '../db/jobs';
import { db } from '../db/pool';
import type { JobRun } from '../jobs/run';
import { DoneElsewhere, savePiece } from '../jobs/save-piece';
import { askedOf } from './asked';
import { changesOf, rowOutcomes } from './outcome';
import { keyAfterRules } from './key-after';
import { findStored, readyRows } from './rows';

/** Rows whose changes share a transaction. */
const TOGETHER = 200;

/** Imports the next rows. A server that is killed in between has done all of them or none. */
export async function importPiece(run: JobRun): Promise<void> {
	const { job, progress } = run;
	const { file, settings, force, sender } = await askedOf(job);
	if (await backOfImport(db(), file.id))
		throw new BadInput('It was taken back: what is left of it is not imported any more.');
	const rows = await nextRows(db(), file.id, TOGETHER);
	if (!rows.length)
		return noteEnded(db(), job.id, {
			state: 'done',
			result: await tallyRows(db(), file.id, 'outcome')
		});
	await progress(job.done, file.rows);
	const find = findStored(db(), job.workspace, force.schema);
	const after = keyAfterRules(db(), force, sender, file.type, settings.by);
	const ready = await readyRows(find, force.schema, file.type, settings, rows, after);
	const changes = changesOf(ready);
	await savePiece(run, sender, force, changes, async (client, outcomes) => {
		const all = rowOutcomes(ready, outcomes);
		if ((await keepOutcomes(client, file.id, all)) !== all.length) throw new DoneElsewhere();
		await noteProgress(client, job.id, { done: job.done + all.length, of: file.rows });
		await queuePiece(client, job.id);
	});
}
