import { makeAgain } from '$server/bulk/made-again';
import { allow, answer, senderOf } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Makes a deleted record again. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	const { type, id } = event.params;
	return answer(() => makeAgain(senderOf(account, 'full'), type, id));
};
