import { pendingOf } from '$server/db/carried';
import { tallies } from '$server/db/journal';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

const DAYS = [1, 7, 30, 365] as const;

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const days = DAYS.find((d) => String(d) === event.url.searchParams.get('days')) ?? 30;
	const since = new Date(Date.now() - days * 86_400_000).toISOString();
	return {
		days,
		choices: DAYS,
		tallies: await tallies(db(), account.workspace, since),
		waiting: await pendingOf(db(), account.workspace)
	};
};
