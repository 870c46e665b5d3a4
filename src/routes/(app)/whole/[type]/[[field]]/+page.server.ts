import { error } from '@sveltejs/kit';
import { allow } from '$server/http/guard';
import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import type { PageServerLoad } from './$types';

/** Whether what the address names is there. */
export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const { type, field } = event.params;
	const { schema } = await inForce(db(), account.workspace);
	const t = schema.types.get(type);
	if (!t) error(404, `There is no record type “${type}”.`);
	if (field && !schema.field(type, field))
		error(404, `There is no field “${field}” on ${t.type.label}.`);
};
