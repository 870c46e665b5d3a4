import { save } from '$server/records';
import { readApiBody } from '$server/http/api';
import { allow, answer, senderOf } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Creates a record: `{"values": {…}, "keep": ["field"]}`. */
export const POST: RequestHandler = async (event) => {
	const account = allow(event);
	const response = await answer(async () => {
		const { sent, keep } = await readApiBody(event.request);
		const [outcome] = await save(senderOf(account, 'api'), [
			{ type: event.params.type, id: null, sent, keep }
		]);
		return outcome;
	});
	return response.ok
		? new Response(response.body, { status: 201, headers: response.headers })
		: response;
};
