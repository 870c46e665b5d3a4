import { readBatch, saveEach, saveTogether } from '$server/http/api';
import { allow, answer, senderOf } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Creates and changes several records: as one change, or each for itself. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { allOrNothing, submissions } = await readBatch(event.request);
		const sender = senderOf(account, 'api');
		return allOrNothing ? saveTogether(sender, submissions) : saveEach(sender, submissions);
	});
};
