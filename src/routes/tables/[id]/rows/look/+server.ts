import { readJson } from '$door';
import { checkRowsLook } from '$door/living';
import { answer, whoAsks } from '$server/http/guard';
import { lookAtRows } from '$server/living/living';
import type { RequestHandler } from './$types';

/** Characters of an edit: thousands of rows. */
const MOST = 8_000_000;

/** Rehearses an edit of rows on the existing records. */
export const POST: RequestHandler = (event) => {
	const account = whoAsks(event);
	return answer(async () => ({
		job: await lookAtRows(
			account,
			event.params.id,
			checkRowsLook(await readJson(event.request, MOST))
		)
	}));
};
