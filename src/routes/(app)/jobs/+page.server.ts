import { listJobs } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** How many of the newest jobs are shown. */
const MOST = 100;

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:jobs');
	return { jobs: await listJobs(db(), workspace, MOST) };
};
