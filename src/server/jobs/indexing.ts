/**
 * Indexes for lists, brought to what is wanted by a job: those that are missing are made, those that nobody wants
 * any more are dropped, while everybody goes on working.
 */
import type { Schema } from '../../core';
import type { ListIndex } from '../../door/lists';
import { insertJob, lockJob, noteEnded, openJob } from '../db/jobs';
import {
	alone,
	indexName,
	madeIndexes,
	noteIndexTrouble,
	wantedIndexes,
	type IndexMaker
} from '../db/list-index';
import { db, isDeadlock, transaction, type Db } from '../db/pool';
import { dbTrouble } from '../db/trouble';
import { inForce } from '../records';
import type { JobRun } from './run';

/** What is to be done: the next index to make, and those to drop. */
async function openOf(
	c: Db,
	workspace: string,
	schema: Schema
): Promise<{ make: ListIndex[]; drop: string[] }> {
	const wanted = await wantedIndexes(c, workspace, schema);
	const made = await madeIndexes(c);
	const names = new Set(wanted.map((i) => indexName(schema, i)));
	return {
		make: wanted.filter((i) => !i.trouble && !made.get(indexName(schema, i))?.valid),
		// also what is left of one whose making was broken off
		drop: [...made.values()].filter((m) => !m.valid || !names.has(m.name)).map((m) => m.name)
	};
}

/** One at a time decides whether there is something left to do, and says so. */
const lockIndexing = (c: Db, workspace: string) => lockJob(c, `indexing ${workspace}`);

/** Queues it where there is something to do and nobody is at it. @param account who asked; null for nobody */
export async function queueIndexing(
	c: Db,
	workspace: string,
	schema: Schema,
	account: string | null
): Promise<void> {
	await lockIndexing(c, workspace);
	if (await openJob(c, workspace, 'indexing')) return;
	const { make, drop } = await openOf(c, workspace, schema);
	if (!make.length && !drop.length) return;
	await insertJob(c, {
		workspace,
		kind: 'indexing',
		title: 'Indexes of lists',
		account,
		input: {},
		of: 100
	});
}

/** Makes and drops until there is nothing left. One that cannot be made is told, and holds up no other. */
export async function indexing(run: JobRun): Promise<void> {
	const { job } = run;
	const result = { made: 0, dropped: 0, failed: 0 };
	for (let ended = false; !ended;) {
		await alone((maker) => bring(maker, run, result));
		ended = await transaction(async (c) => {
			await lockIndexing(c, job.workspace);
			const { schema } = await inForce(c, job.workspace);
			// wanted in the last moment, by somebody who saw this job under way
			const { make, drop } = await openOf(c, job.workspace, schema);
			if (make.length || drop.length) return false;
			await noteEnded(c, job.id, { state: 'done', result });
			return true;
		});
	}
}

/** Most times that something is begun anew because an edit of the model went before it. */
const MOST_AGAIN = 10;

/**
 * An index and an edit of the model of its table may each wait for the other, and PostgreSQL ends one of them: where
 * it is the index, it is begun anew.
 */
async function patiently(signal: AbortSignal, work: () => Promise<void>): Promise<void> {
	for (let n = 1; ; n++)
		try {
			return await work();
		} catch (e) {
			if (signal.aborted || !isDeadlock(e) || n > MOST_AGAIN) throw e;
		}
}

async function bring(
	maker: IndexMaker,
	{ job: { workspace }, signal, progress }: JobRun,
	result: { made: number; dropped: number; failed: number }
): Promise<void> {
	for (;;) {
		const { schema } = await inForce(db(), workspace);
		const { make, drop } = await openOf(db(), workspace, schema);
		for (const name of drop) {
			await patiently(signal, () => maker.drop(name));
			result.dropped++;
		}
		const [next] = make;
		if (!next) return;
		const before = 100 * (result.made + result.failed);
		const of = before + 100 * make.length;
		await progress(before, of);
		try {
			await patiently(signal, () =>
				maker.make(schema, next, (percent) => progress(before + percent, of))
			);
			result.made++;
		} catch (e) {
			if (signal.aborted) await noteIndexTrouble(db(), workspace, next, 'Making it was stopped.');
			if (signal.aborted || dbTrouble(e)) throw e;
			result.failed++;
			await noteIndexTrouble(db(), workspace, next, (e as Error).message);
		}
	}
}
