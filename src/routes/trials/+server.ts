import { json } from '@sveltejs/kit';
import { BadInput, checkTrial, readJson } from '$door';
import { storeTrials } from '$server/draft/trials';
import { allow, answer } from '$server/http/guard';
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

/** Most trials that are stored in one step. */
const MOST_AT_ONCE = 1000;

/** Stores several trials in one step. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const doc = await readJson(event.request);
		if (!Array.isArray(doc) || !doc.length || doc.length > MOST_AT_ONCE)
			throw new BadInput(`What is sent must be a list of 1 to ${MOST_AT_ONCE} trials.`);
		const trials = doc.map((t: unknown, i) => {
			try {
				return checkTrial(t);
			} catch (e) {
				if (e instanceof BadInput) throw new BadInput(`[${i}] ${e.message}`);
				throw e;
			}
		});
		return storeTrials(account, trials);
	});
};
