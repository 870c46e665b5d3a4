import { error } from '@sveltejs/kit';
import { BadInput } from '$door';
import { jobsAsked, type JobsAsked } from '$door/job-kinds';
import { carriedChanges } from '$server/db/carried';
import { endedJobs, openJobs } from '$server/db/jobs';
import { countMessages } from '$server/db/outbox';
import { listAccounts } from '$server/db/people';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** How many changes that are carried on are shown. */
const MOST = 100;
/** Jobs that ended on a page. */
const SIZE = 50;

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:jobs');
	let asked: JobsAsked;
	try {
		asked = jobsAsked(event.url.searchParams);
	} catch (e) {
		if (e instanceof BadInput) error(400, e.message);
		throw e;
	}
	const [open, ended, carried, messages, people] = await Promise.all([
		openJobs(db(), workspace),
		endedJobs(db(), workspace, asked, SIZE + 1),
		carriedChanges(db(), workspace, MOST),
		countMessages(db()),
		listAccounts(db(), workspace)
	]);
	return {
		asked,
		open,
		ended: ended.slice(0, SIZE),
		/** Older ones are those before this one; null where there are none. */
		older: ended.length > SIZE ? ended[SIZE - 1].id : null,
		carried,
		messages,
		people: people.map(({ id, name, retired }) => ({ id, name, retired: !!retired }))
	};
};
