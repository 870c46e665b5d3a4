/**
 * What an import would do, row by row, each after those before it: read without locks, nothing stored, nothing
 * sent. It speaks of the records as they are while it runs.
 */
import { keepOutcomes, nextRows, noteJob, tallyRows } from '../db/imports';
import { noteEnded, noteProgress } from '../db/jobs';
import { db } from '../db/pool';
import type { JobRun } from '../jobs/run';
import { Series } from '../records';
import { askedOf } from './asked';
import { changesOf, rowOutcomes } from './outcome';
import { keyAfterRules } from './key-after';
import { readyRows } from './rows';

const TOGETHER = 200;
/** Most rows that are looked at: what they make is held in memory for those behind them, some 5 KB each. */
export const MOST_TRIED = 100_000;

/** Tries the rows from the first; one that was broken off begins anew, since nothing of it counts. */
export async function dryRun({ job, progress }: JobRun): Promise<void> {
	const { file, settings, force, sender } = await askedOf(job);
	await noteJob(db(), file.id, 'dry_run', job.id);
	const series = new Series(db(), sender, force, new Map(), null);
	const afterRules = keyAfterRules(db(), force, sender, file.type, settings.by);
	const of = Math.min(file.rows, MOST_TRIED);
	let done = 0;
	let after = 0;
	while (done < of) {
		await progress(done, of);
		const rows = await nextRows(db(), file.id, Math.min(TOGETHER, of - done), { dry: true, after });
		if (!rows.length) break;
		const ready = await readyRows(
			(type, keys) => series.find(type, keys),
			force.schema,
			file.type,
			settings,
			rows,
			afterRules
		);
		const changes = changesOf(ready);
		const outcomes = changes.length ? await series.look(changes) : [];
		await keepOutcomes(db(), file.id, rowOutcomes(ready, outcomes), 'dry');
		done += ready.length;
		after = ready.at(-1)!.line;
	}
	const result = { ...(await tallyRows(db(), file.id, 'dry')), of: file.rows };
	await noteProgress(db(), job.id, { done, of });
	await noteEnded(db(), job.id, { state: 'done', result });
}
