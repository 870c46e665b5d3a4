import { error, json } from '@sveltejs/kit';
import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { distributionOf } from '$server/db/distribution';
import { allow } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** How the values of a number or date field are spread over the records that exist. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const [type, field] = ['type', 'field'].map((k) => event.url.searchParams.get(k) ?? '');
	const { schema } = await inForce(db(), account.workspace);
	const f = schema.field(type, field);
	if (!f || !['number', 'money', 'percent', 'date'].includes(f.type))
		error(404, 'There is no such field of numbers or dates.');
	return json(await distributionOf(db(), account.workspace, type, f));
};
