import { countHeld, readModel } from '$server/db/model';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** How many records hold a value in each field; the page does not wait for it. */
export const load: PageServerLoad = async (event) => {
	event.depends('app:work');
	const account = allow(event);
	const { model } = await readModel(db(), account.workspace);
	const type = model.types.find((t) => t.id === event.params.type);
	const held = type ? countHeld(db(), account.workspace, type) : null;
	// what fails while nobody waits ends no server; the page says that it is not known
	held?.catch(() => undefined);
	return { held };
};
