import { error } from '@sveltejs/kit';
import { checkSuggesting, readJson } from '$door';
import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { allow, answer } from '$server/http/guard';
import { suggestApart } from '$server/look/suggest';
import type { RequestHandler } from './$types';

/** Rules that the stored records propose for a field, by example where wanted values are given. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { type, field, examples } = checkSuggesting(await readJson(event.request));
		const { schema } = await inForce(db(), account.workspace);
		if (!schema.types.has(type) || !schema.field(type, field))
			error(404, `There is no field “${field}” on ${schema.types.get(type)?.type.label ?? type}.`);
		const job = { workspace: account.workspace, type, field, examples, instant: Date.now() };
		const { signal } = event.request;
		try {
			return await suggestApart(job, signal);
		} catch (e) {
			// nobody reads the answer
			if (signal.aborted) return {};
			throw e;
		}
	});
};
