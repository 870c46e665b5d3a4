import { db } from '$server/db/pool';
import { listReleases } from '$server/db/rules';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const account = allow(event, 'reader');
	event.depends('app:work');
	return { releases: await listReleases(db(), account.workspace) };
};
