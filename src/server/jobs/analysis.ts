/**
 * The analysis of a draft as a job, before it is released or one of its findings is accepted. What it came to is
 * kept by all that it was made of, so that the same is never looked through twice.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { AnalysisAnswer, AnalysisJob } from '../../workers/analysis.thread';
import { insertJob, noteEnded, openJob, readJob, frozenOf } from '../db/jobs';
import type { Account } from '../db/people';
import { db, transaction } from '../db/pool';
import { hashOf, keepAnalysis, lockDraft, readAnalysis } from '../db/rules';
import { NotAnalysedInTime, analyseApart } from '../look/analysis';
import { BadInput } from '../../door';
import type { JobRun } from './run';

/** How long somebody waits for the answer, milliseconds; the job goes on without them. */
const PATIENCE = Number(process.env.RIGID_ANALYSIS_WAIT ?? 20_000);
const ASK_EVERY = 100;

/**
 * What the analysis says of a draft with its trials: kept from before, or made by a job.
 * @throws {NotAnalysedInTime} while it is not known; whoever asks again later finds it kept
 * @throws {BadInput} when the job failed or was stopped
 */
export async function lookedThrough(by: Account, what: AnalysisJob): Promise<AnalysisAnswer> {
	const { workspace } = by;
	const hash = hashOf(what);
	// what a server of an earlier version came to is not taken: this one may find more
	const known = () =>
		readAnalysis<AnalysisAnswer>(db(), workspace, hash, Math.floor(process.uptime()));
	const kept = await known();
	if (kept) return kept;
	const id = await transaction(async (c) => {
		// two who ask for the same at once wait for one job
		await lockDraft(c, workspace);
		const open = await openJob(c, workspace, 'analysis', { hash });
		if (open) return open.id;
		return insertJob(c, {
			workspace,
			kind: 'analysis',
			title: 'The draft with its trials',
			account: by.id,
			input: { hash },
			frozen: what
		});
	});
	for (const till = Date.now() + PATIENCE; Date.now() < till; await pause(ASK_EVERY)) {
		const job = await readJob(db(), id);
		if (!job?.ended) continue;
		const made = await known();
		if (made) return made;
		throw new BadInput(
			job.message ?? 'The analysis of the draft was stopped. Nothing was done; ask for it again.'
		);
	}
	throw new NotAnalysedInTime(
		'The draft is still being looked through, which is a job under Jobs. Nothing was done; when the job is done, do it again: that will take no time.'
	);
}

/** Looks through what was frozen when it was queued. */
export async function analysis({ job, signal }: JobRun): Promise<void> {
	const what = (await frozenOf<AnalysisJob>(db(), job.id))!;
	try {
		const answer = await analyseApart(what, { signal });
		await transaction(async (c) => {
			await keepAnalysis(c, job.workspace, job.input.hash, answer);
			await noteEnded(c, job.id, {
				state: 'done',
				result: { findings: answer.checked.findings.length, failing: answer.failing.length }
			});
		});
	} catch (e) {
		if (e instanceof NotAnalysedInTime) throw new BadInput(e.message);
		throw e;
	}
}
