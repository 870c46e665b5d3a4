import { error, redirect } from '@sveltejs/kit';
import { deletedRecord } from '$server/db/deleted';
import { db } from '$server/db/pool';
import { readRecords } from '$server/db/records';
import { allow } from '$server/http/guard';
import { inForce } from '$server/records';
import { historyOf } from '$server/records/view';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	const { type, id } = event.params;
	const { schema } = await inForce(db(), workspace);
	const known = schema.types.has(type) && /^\d{1,18}$/.test(id);
	const gone = known ? await deletedRecord(db(), workspace, type, id) : null;
	if (!gone) {
		if (known && (await readRecords(db(), schema, workspace, type, [id])).length)
			redirect(303, `/records/${type}/${id}`);
		error(404, 'Nothing is known of such a record: the address may not be right.');
	}
	const { at, who, entryPoint, was } = gone;
	const title = was[schema.type(type).type.title];
	return {
		id,
		title: typeof title === 'string' && title ? title : `No. ${id}`,
		at,
		who,
		entryPoint,
		was,
		...(await historyOf(workspace, schema, type, id, was, event.url.searchParams.get('before')))
	};
};
