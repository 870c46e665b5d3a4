import { Schema } from '$core';
import { checkSought, readJson } from '$door';
import { db } from '$server/db/pool';
import { readModel } from '$server/db/model';
import { recordsKnown } from '$server/draft/bundle';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Records here that have some keys: `{"sought": [{"type", "field", "value"}]}`; of each the numbers that have it. */
export const POST: RequestHandler = (event) => {
	const { workspace } = allow(event);
	return answer(async () => {
		const sought = checkSought(await readJson(event.request, 8_000_000));
		const { model } = await readModel(db(), workspace);
		return { found: await recordsKnown(db(), new Schema(model), workspace, sought) };
	});
};
