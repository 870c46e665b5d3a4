import { error, json } from '@sveltejs/kit';
import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { findTitles } from '$server/db/records';
import { allow } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Records that a link could point to. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const type = event.url.searchParams.get('type') ?? '';
	const { schema } = await inForce(db(), account.workspace);
	if (!schema.types.has(type)) error(404, 'There is no such record type.');
	return json(
		await findTitles(
			db(),
			schema,
			account.workspace,
			type,
			(event.url.searchParams.get('find') ?? '').slice(0, 100)
		)
	);
};
