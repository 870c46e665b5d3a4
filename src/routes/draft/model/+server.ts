import { BadInput, checkLost, checkModelPieces, readJson } from '$door';
import { transaction } from '$server/db/pool';
import { editModel } from '$server/draft/model';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** The most that one edit may send: a whole model taken in at once. */
const MOST_CHARACTERS = 12_000_000;

/** Carries out an edit of the model where what it found still stands; all of it or nothing. It is live at once. */
export const PATCH: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const body = (await readJson(event.request, MOST_CHARACTERS)) as {
			pieces?: unknown;
			lost?: unknown;
		} | null;
		if (!body) throw new BadInput('pieces is missing.');
		const pieces = checkModelPieces(body.pieces);
		const lost = checkLost(body.lost);
		return transaction((c) => editModel(c, account, pieces, lost));
	});
};
