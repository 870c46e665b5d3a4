import { checkRehearsal, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import { queueRehearsal } from '$server/jobs/rehearsal';
import type { RequestHandler } from './$types';

/**
 * Queues a rehearsal; one of the same that is under way is that one. Without a body it is of the draft against
 * what is in force, on every record: `{"before": 3, "after": "draft", "selection": {"type", "condition"}}`; with
 * `"period": {"from": "2026-11-01", "to": "2026-11-24"}` the changes of these days are made again instead. A version
 * from a file is `"file": {"name", "as": "after", "document"}`, a release or bundle as it is taken out.
 */
/** Characters of what is asked, a file with it. */
const MOST_FILE = 20_000_000;

export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const sent = event.request.headers.get('content-type')
			? await readJson(event.request, MOST_FILE)
			: null;
		return { job: await queueRehearsal(account, checkRehearsal(sent)) };
	});
};
