import { readJson } from '$door';
import { checkIndexes } from '$door/lists';
import { allow, answer } from '$server/http/guard';
import { setIndexes } from '$server/lists/indexes';
import type { RequestHandler } from './$types';

/** Wants indexes of lists, or wants them no more: `{"indexes": [{"type", "field", "use"}], "wanted": true}`. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { indexes, wanted } = checkIndexes(await readJson(event.request));
		await setIndexes(account, indexes, wanted);
		return {};
	});
};
