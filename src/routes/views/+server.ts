import { readJson } from '$door';
import { checkView } from '$door/lists';
import { keepView } from '$server/lists/views';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Keeps a list under a name: `{"type", "name", "list"}`. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { type, ...view } = checkView(await readJson(event.request));
		return keepView(account, type, view);
	});
};
