/** A piece of an import: some rows, each a change of its own, with their outcomes in the transaction of the changes. */
import type pg from 'pg';
import { keepOutcomes, nextRows, readImport, tallyRows } from '../db/imports';
import { isStopping, lockJob, noteEnded, noteProgress, queuePiece, type Job } from '../db/jobs';
import { listAccounts } from '../people/accounts';
import { db, transaction } from '../db/pool';
import type { Doing } from '../jobs/doing';
import {
	inForce,
	saveInOrder,
	type RefusedChange,
	type SaveOutcome,
	type Sender
} from '../records';
import { outcomeOf, refusedRow } from './outcome';
import { findStored, readyRows, type Settings } from './rows';

/** Rows whose changes share a transaction. */
const TOGETHER = 200;

/** Another worker has done these rows meanwhile. */
class DoneElsewhere extends Error {}

/** Who a job acts for. */
export async function senderFor(job: Job): Promise<Sender> {
	const account = (await listAccounts(db(), job.workspace)).find((a) => a.id === job.account)!;
	return { workspace: job.workspace, account, entryPoint: 'import', instant: Date.now() };
}

/** Imports the next rows. A server that is killed in between has done all of them or none. */
export async function importPiece({ job, progress }: Doing): Promise<void> {
	const file = (await readImport(db(), job.input.import))!;
	const rows = await nextRows(db(), file.id, TOGETHER);
	if (!rows.length) return ended(job, file.id);
	await progress(job.done, file.rows);
	const settings = file.settings as Settings;
	const { schema } = await inForce(db(), job.workspace);
	const ready = await readyRows(
		findStored(db(), job.workspace, schema),
		schema,
		file.type,
		settings,
		rows
	);
	const good = ready.filter((r) => r.submission);
	const keep = async (
		client: pg.PoolClient,
		outcomes: readonly (SaveOutcome[] | RefusedChange)[]
	) => {
		const byLine = new Map(good.map((r, i) => [r.line, outcomeOf(outcomes[i], r.submission!.id)]));
		const all = ready.map((r) => ({
			line: r.line,
			outcome: byLine.get(r.line) ?? refusedRow(r.faults)
		}));
		if ((await keepOutcomes(client, file.id, all)) !== all.length) throw new DoneElsewhere();
		await noteProgress(client, job.id, { done: job.done + all.length, of: file.rows });
		await queuePiece(client, job.id);
	};
	try {
		if (!good.length) return await transaction((c) => keep(c, []));
		const around = {
			async before(client: pg.PoolClient) {
				// two that have the same piece: the second waits here, and finds it done
				await lockJob(client, job.id);
				if (await isStopping(client, job.id)) throw new DoneElsewhere();
			},
			after: keep
		};
		await saveInOrder(
			{ ...(await senderFor(job)), around },
			good.map((r) => [r.submission!])
		);
	} catch (e) {
		if (!(e instanceof DoneElsewhere)) throw e;
		await transaction((c) => queuePiece(c, job.id));
	}
}

async function ended(job: Job, file: string) {
	const tally = await tallyRows(db(), file, 'outcome');
	await noteEnded(db(), job.id, { state: 'done', result: tally });
}
