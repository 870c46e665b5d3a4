import { db } from '$server/db/pool';
import { versionsOf } from '$server/db/rules';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	event.depends('app:work');
	return versionsOf(db(), account.workspace, event.params.rule);
};
