import { answerOne, carryOut, readApiBody } from '$server/http/api';
import { allow, answered, reaches } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Creates a record: `{"values": {…}, "keep": ["field"]}`. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	const { type } = event.params;
	reaches(account, type);
	return answered(async () => {
		const { sent, keep } = await readApiBody(event.request);
		return carryOut(event, account, [[{ type, id: null, sent, keep }]], answerOne(true));
	});
};
