import { error } from '@sveltejs/kit';
import { checkAcceptance, readJson } from '$door';
import { NotAllowed, acceptFinding, takeBackAcceptance } from '$server/draft/accept';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Accepts a finding of the draft: `{"finding": id, "reason": "…"}`. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { finding, reason } = checkAcceptance(await readJson(event.request));
		try {
			return await acceptFinding(account, finding, reason!);
		} catch (e) {
			if (e instanceof NotAllowed) error(403, e.message);
			throw e;
		}
	});
};

/** Takes an acceptance back: `{"finding": id}`. */
export const DELETE: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { finding } = checkAcceptance(await readJson(event.request), true);
		await takeBackAcceptance(account, finding);
	});
};
