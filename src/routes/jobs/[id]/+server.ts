import { error, json } from '@sveltejs/kit';
import { BadInput, readJson } from '$door';
import { PAUSABLE } from '$door/job-kinds';
import { may } from '$door/rights';
import { note } from '$server/audit/audit';
import { isUuid, pauseJob, readJob, resumeJob, stopJob, type Job } from '$server/db/jobs';
import type { Account } from '$server/db/people';
import { db, transaction } from '$server/db/pool';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

async function needed(workspace: string, id: string): Promise<Job> {
	const job = isUuid(id) ? await readJob(db(), id, workspace) : null;
	return job ?? error(404, 'There is no such job.');
}

/** The job, for whoever began it and for operators. */
async function own(account: Account, id: string): Promise<Job> {
	const job = await needed(account.workspace, id);
	if (job.account !== account.id && !may(account.role, 'operate'))
		error(403, `${job.by ?? 'Somebody else'} began this; operators see to it otherwise.`);
	return job;
}

/** How far a job is, and what came of it. */
export const GET: RequestHandler = async (event) => {
	const { workspace } = allow(event);
	return json(await needed(workspace, event.params.id));
};

/** Asks a job to pause at its next piece, or goes on with it: `{"paused": true}`. */
export const PATCH: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const job = await own(account, event.params.id);
		const { paused } = ((await readJson(event.request)) ?? {}) as { paused?: unknown };
		if (typeof paused !== 'boolean')
			throw new BadInput('Send {"paused": true} to pause it, or {"paused": false} to go on.');
		if (paused && !PAUSABLE.has(job.kind))
			throw new BadInput(`Of a job of this kind nothing stands before its end: stop it instead.`);
		const { workspace } = account;
		return transaction(async (c) => {
			const changed = await (paused ? pauseJob : resumeJob)(c, workspace, job.id);
			const did = paused ? 'paused a job' : 'went on with a job';
			if (changed) await note(c, account, did, `${job.kind}: ${job.title}`);
			return changed ?? job;
		});
	});
};

/** Asks a job to stop: one's own, or any for whoever operates. */
export const DELETE: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const job = await own(account, event.params.id);
		return transaction(async (c) => {
			const stopped = await stopJob(c, account.workspace, job.id);
			if (stopped) await note(c, account, 'stopped a job', `${job.kind}: ${job.title}`);
			return stopped ?? job;
		});
	});
};
