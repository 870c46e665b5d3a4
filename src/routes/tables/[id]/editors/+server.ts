import { error } from '@sveltejs/kit';
import { readJson } from '$door';
import { checkEditors } from '$door/living';
import { db } from '$server/db/pool';
import { readDraft, readRelease, releaseInForce } from '$server/db/rules';
import { allow, answer } from '$server/http/guard';
import { sayEditors } from '$server/living/living';
import type { RequestHandler } from './$types';

/** Says who may edit the rows of a table. */
export const PUT: RequestHandler = async (event) => {
	const account = allow(event);
	const { workspace } = account;
	const { id } = event.params;
	const release = await releaseInForce(db(), workspace);
	const doc = release ? await readRelease(db(), workspace, release) : null;
	const { set } = await readDraft(db(), workspace);
	const table = [...(set.tables ?? []), ...(doc?.tables ?? [])].find((t) => t.id === id);
	if (!table) error(404, 'There is no such table.');
	return answer(async () =>
		sayEditors(account, table, checkEditors(await readJson(event.request)))
	);
};
