import { BadInput } from '$door';
import { listOf } from '$door/lists';
import { openJob } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import { WORTH, indexesOf } from '$server/lists/indexes';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:indexes');
	const q = event.url.searchParams;
	const of = q.get('of');
	let also: Parameters<typeof indexesOf>[1] = null;
	try {
		if (of) also = { type: of, list: listOf(q) };
	} catch (e) {
		// an address that was cut: what the views ask is shown all the same
		if (!(e instanceof BadInput)) throw e;
	}
	return {
		...(await indexesOf(workspace, also)),
		job: await openJob(db(), workspace, 'indexing'),
		worth: WORTH
	};
};
