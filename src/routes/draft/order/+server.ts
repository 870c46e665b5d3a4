import { db } from '$server/db/pool';
import { saveOrder } from '$server/db/rules';
import { checkOrder, readJson } from '$server/door';
import { allow, answer } from '$server/guard';
import type { RequestHandler } from './$types';

export const PUT: RequestHandler = (event) => {
	const account = allow(event, 'author');
	return answer(async () => {
		const { field, claims } = checkOrder(await readJson(event.request));
		await saveOrder(db(), account.workspace, field, claims);
	});
};
