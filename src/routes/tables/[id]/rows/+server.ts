import { readJson } from '$door';
import { checkRows } from '$door/living';
import { answer, whoAsks } from '$server/http/guard';
import { editRows } from '$server/living/living';
import type { RequestHandler } from './$types';

/** Characters of an edit: thousands of rows. */
const MOST = 8_000_000;

/** Edits rows of a living table; what somebody else overtook is told, and nothing is stored then. */
export const POST: RequestHandler = (event) => {
	const account = whoAsks(event);
	return answer(async () =>
		editRows(account, event.params.id, checkRows(await readJson(event.request, MOST)))
	);
};
