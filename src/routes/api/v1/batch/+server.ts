import { answerEach, answerTogether, carryOut, readBatch } from '$server/http/api';
import { allow, answered, reaches } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Creates and changes several records: as one change, or each for itself. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answered(async () => {
		const { allOrNothing, submissions } = await readBatch(event.request);
		for (const s of submissions) reaches(account, s.type);
		return allOrNothing
			? carryOut(event, account, [submissions], answerTogether)
			: carryOut(
					event,
					account,
					submissions.map((s) => [s]),
					answerEach(submissions)
				);
	});
};
