import { readJson } from '$door';
import { checkKeys } from '$door/lists';
import { db } from '$server/db/pool';
import { allow, answer } from '$server/http/guard';
import { findByKeys } from '$server/lists/keys';
import { inForce } from '$server/records';
import type { RequestHandler } from './$types';

/** The records that a file of keys names: `{"type", "by", "text"}`. */
export const POST: RequestHandler = (event) => {
	const { workspace } = allow(event);
	return answer(async () => {
		const asked = checkKeys(await readJson(event.request));
		const { schema } = await inForce(db(), workspace);
		return findByKeys(db(), schema, workspace, asked);
	});
};
