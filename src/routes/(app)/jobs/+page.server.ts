import { carriedChanges } from '$server/db/carried';
import { listJobs } from '$server/db/jobs';
import { countMessages } from '$server/db/outbox';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** How many of the newest jobs are shown. */
const MOST = 100;

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:jobs');
	const [jobs, carried, messages] = await Promise.all([
		listJobs(db(), workspace, MOST),
		carriedChanges(db(), workspace, MOST),
		countMessages(db())
	]);
	return { jobs, carried, messages };
};
