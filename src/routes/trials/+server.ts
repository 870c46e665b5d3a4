import { json } from '@sveltejs/kit';
import { allow } from '$server/http/guard';
import { db } from '$server/db/pool';
import { listTrials, trialsMark } from '$server/db/rules';
import type { RequestHandler } from './$types';

/** All trials of the draft, with the mark that pages know them by. */
export const GET: RequestHandler = async (event) => {
	const { workspace } = allow(event);
	// the mark first: of what is stored in between it is not the mark, and they are fetched again
	const { mark } = await trialsMark(db(), workspace);
	return json({ mark, trials: await listTrials(db(), workspace) });
};
