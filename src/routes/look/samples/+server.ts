import { error, json } from '@sveltejs/kit';
import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { findTitles, readRecords } from '$server/db/records';
import { sampleOf } from '$server/records/view';
import { allow } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Records to choose a sample from, or one of them with all its values. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const q = event.url.searchParams;
	const { schema } = await inForce(db(), account.workspace);
	const type = q.get('type') ?? '';
	if (!schema.types.has(type)) error(404, 'There is no such record type.');
	const id = q.get('id');
	if (id !== null) {
		const [r] = /^\d{1,18}$/.test(id)
			? await readRecords(db(), schema, account.workspace, type, [id])
			: [];
		if (!r) error(404, 'There is no such record.');
		return json(await sampleOf(account.workspace, schema, r));
	}
	const find = (q.get('find') ?? '').slice(0, 100);
	return json(
		await findTitles(db(), schema, account.workspace, type, find, { newest: true, most: 20 })
	);
};
