import { error } from '@sveltejs/kit';
import { checkRevision, readJson } from '$door';
import { returnToDraft } from '$server/draft/release';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Returns to a draft that was put aside: `{"revision": 12}`, the one that was looked at. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	const { id } = event.params;
	if (!/^\d{1,18}$/.test(id)) error(404, 'There is no such draft put aside.');
	return answer(async () => {
		const body = (await readJson(event.request)) as { revision?: unknown } | null;
		return returnToDraft(account, id, checkRevision(body?.revision));
	});
};
