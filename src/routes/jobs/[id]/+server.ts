import { error, json } from '@sveltejs/kit';
import { may } from '$door/rights';
import { note } from '$server/audit/audit';
import { isUuid, readJob, stopJob } from '$server/db/jobs';
import { db, transaction } from '$server/db/pool';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

async function needed(workspace: string, id: string) {
	const job = isUuid(id) ? await readJob(db(), id, workspace) : null;
	return job ?? error(404, 'There is no such job.');
}

/** How far a job is, and what came of it. */
export const GET: RequestHandler = async (event) => {
	const { workspace } = allow(event);
	return json(await needed(workspace, event.params.id));
};

/** Asks a job to stop: one's own, or any for whoever operates. */
export const DELETE: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const job = await needed(account.workspace, event.params.id);
		if (job.account !== account.id && !may(account.role, 'operate'))
			error(403, `${job.by ?? 'Somebody else'} began this; operators stop it otherwise.`);
		return transaction(async (c) => {
			const stopped = await stopJob(c, account.workspace, job.id);
			if (stopped) await note(c, account, 'stopped a job', `${job.kind}: ${job.title}`);
			return stopped ?? job;
		});
	});
};
