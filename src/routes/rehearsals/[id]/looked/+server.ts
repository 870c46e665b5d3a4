import { checkLooked, readJson } from '$door';
import { isUuid } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { noteLooked } from '$server/db/rehearsals';
import { allow, answer } from '$server/http/guard';
import { error } from '@sveltejs/kit';
import type { RequestHandler } from './$types';

/** Notes that somebody looked at a surprise, or takes that back: `{"key", "looked": true}`. */
export const PUT: RequestHandler = (event) => {
	const { workspace, name } = allow(event);
	return answer(async () => {
		const { key, looked } = checkLooked(await readJson(event.request));
		const { id } = event.params;
		if (!isUuid(id) || !(await noteLooked(db(), workspace, id, key, looked ? name : null)))
			error(404, 'There is no such surprise; rehearsals that are old are forgotten.');
	});
};
