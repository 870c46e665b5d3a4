/**
 * What an import would do, row by row, each after those before it: read without locks, nothing stored, nothing
 * sent. It speaks of the records as they are while it runs.
 */
import { keepOutcomes, nextRows, noteJob, readImport, tallyRows } from '../db/imports';
import { noteEnded } from '../db/jobs';
import { db } from '../db/pool';
import type { Doing } from '../jobs/doing';
import { Series, inForce } from '../records';
import { outcomeOf, refusedRow } from './outcome';
import { senderFor } from './piece';
import { readyRows, type Settings } from './rows';

const TOGETHER = 200;
/** Most rows that are looked at: what they make is held in memory for those behind them. */
export const MOST_TRIED = 20_000;

/** Tries the rows from the first; one that was broken off begins anew, since nothing of it counts. */
export async function dryRun({ job, progress }: Doing): Promise<void> {
	const file = (await readImport(db(), job.input.import))!;
	await noteJob(db(), file.id, 'dry_run', job.id);
	const settings = file.settings as Settings;
	const force = await inForce(db(), job.workspace);
	const series = new Series(db(), await senderFor(job), force, new Map(), null);
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
			rows
		);
		const good = ready.filter((r) => r.submission);
		const outcomes = good.length ? await series.look(good.map((r) => [r.submission!])) : [];
		const byLine = new Map(good.map((r, i) => [r.line, outcomeOf(outcomes[i], r.submission!.id)]));
		await keepOutcomes(
			db(),
			file.id,
			ready.map((r) => ({ line: r.line, outcome: byLine.get(r.line) ?? refusedRow(r.faults) })),
			'dry'
		);
		done += ready.length;
		after = ready.at(-1)!.line;
	}
	const result = { ...(await tallyRows(db(), file.id, 'dry')), of: file.rows };
	await noteEnded(db(), job.id, { state: 'done', result });
}
