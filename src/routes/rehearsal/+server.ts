import { allow, answer } from '$server/http/guard';
import { queueRehearsal } from '$server/jobs/rehearsal';
import type { RequestHandler } from './$types';

/** Queues a rehearsal of the draft on every record that exists; one that is under way is that one. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => ({ job: await queueRehearsal(account) }));
};
