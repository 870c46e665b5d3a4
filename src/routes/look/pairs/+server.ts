import { error, json } from '@sveltejs/kit';
import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { pairCounts } from '$server/db/records';
import { allow } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** How many existing records hold each pair of values of two fields. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const [type, a, b] = ['type', 'a', 'b'].map((k) => event.url.searchParams.get(k) ?? '');
	const { schema } = await inForce(db(), account.workspace);
	const [x, y] = [schema.field(type, a), schema.field(type, b)];
	if (!x || !y) error(404, 'There are no such fields.');
	return json(await pairCounts(db(), account.workspace, type, x, y));
};
