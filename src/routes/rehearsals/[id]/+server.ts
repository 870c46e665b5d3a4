import { error } from '@sveltejs/kit';
import { isUuid } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { saidOfRehearsal } from '$server/db/rehearsals';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** What a rehearsal came to, in a few figures. */
export const GET: RequestHandler = (event) => {
	const { workspace } = allow(event);
	const { id } = event.params;
	return answer(async () => {
		const said = isUuid(id) ? await saidOfRehearsal(db(), workspace, id) : null;
		if (!said) error(404, 'There is no such rehearsal; those that are old are forgotten.');
		return said;
	});
};
