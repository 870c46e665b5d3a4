import { countOptions, readModel } from '$server/db/model';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** In how many records each option stands; the page does not wait for it. */
export const load: PageServerLoad = async (event) => {
	event.depends('app:work');
	const account = allow(event);
	const { model } = await readModel(db(), account.workspace);
	const { list } = event.params;
	const counts = model.lists.some((l) => l.id === list)
		? countOptions(db(), account.workspace, model, list)
		: null;
	counts?.catch(() => undefined);
	return { counts };
};
