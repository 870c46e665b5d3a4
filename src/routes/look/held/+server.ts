import { BadInput } from '$door';
import { countHeld, countOptions, readModel } from '$server/db/model';
import { db } from '$server/db/pool';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** How many records hold something: in each field of a type, or of each option of a list. */
export const GET: RequestHandler = (event) => {
	const account = allow(event);
	const q = event.url.searchParams;
	return answer(async () => {
		const { model } = await readModel(db(), account.workspace);
		const list = q.get('list');
		if (list !== null) {
			if (!model.lists.some((l) => l.id === list)) throw new BadInput('There is no such list.');
			return { options: await countOptions(db(), account.workspace, model, list) };
		}
		const type = model.types.find((t) => t.id === q.get('type'));
		if (!type) throw new BadInput('type must name a record type, or list an option list.');
		return countHeld(db(), account.workspace, type);
	});
};
