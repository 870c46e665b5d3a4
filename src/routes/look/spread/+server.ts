import { error, json } from '@sveltejs/kit';
import { inForce } from '$server/decide';
import { db } from '$server/db/pool';
import { numberSpread } from '$server/db/records';
import { allow } from '$server/guard';
import type { RequestHandler } from './$types';

/** How the values of a number field are spread over the records that exist. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event, 'reader');
	const [type, field] = ['type', 'field'].map((k) => event.url.searchParams.get(k) ?? '');
	const { schema } = await inForce(db(), account.workspace);
	const f = schema.field(type, field);
	if (!f || !['number', 'money', 'percent'].includes(f.type))
		error(404, 'There is no such number field.');
	return json(await numberSpread(db(), account.workspace, type, field));
};
