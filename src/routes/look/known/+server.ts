import { Schema } from '$core';
import { checkSought, readJson } from '$door';
import { transaction } from '$server/db/pool';
import { readModel } from '$server/db/model';
import { recordsKnown } from '$server/draft/bundle';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Records here that have some keys: `{"sought": [{"type", "field", "value"}]}`; of each the numbers that have it. */
export const POST: RequestHandler = (event) => {
	const { workspace } = allow(event);
	return answer(async () => {
		const sought = checkSought(await readJson(event.request, 8_000_000));
		// a record type may go between reading the model and asking for its records: then it is asked once more
		return transaction(async (c) => {
			const { model } = await readModel(c, workspace);
			return { found: await recordsKnown(c, new Schema(model), workspace, sought) };
		});
	});
};
