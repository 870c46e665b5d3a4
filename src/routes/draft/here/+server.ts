import { checkHere, readJson } from '$door';
import { announce } from '$server/db/notices';
import { db } from '$server/db/pool';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Tells the others in which rule one works: `{"page": "…", "at": "rules.r_1"}`, `at` null for none. */
export const POST: RequestHandler = (event) => {
	const { workspace, id: account, name } = allow(event);
	return answer(async () => {
		const { page, at } = checkHere(await readJson(event.request));
		await announce(db(), { kind: 'here', workspace, page, account, name, at });
	});
};
