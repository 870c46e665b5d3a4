import { readJson } from '$door';
import { checkBulk } from '$door/bulk';
import { askBulk } from '$server/bulk/bulk';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Looks at what would be done to many records: `{"type", "which", "does", "spare", "messages"}`. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => askBulk(account, checkBulk(await readJson(event.request))));
};
