import { openJob } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** The rehearsal that is under way, whoever began it. */
export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:rehearsal');
	return { open: await openJob(db(), workspace, 'rehearsal') };
};
