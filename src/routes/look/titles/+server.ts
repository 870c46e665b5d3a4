import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { titlesOf } from '$server/db/records';
import { checkTitles, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Titles of records, by `type.id`: what links are called. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const wanted = checkTitles(await readJson(event.request));
		const { schema } = await inForce(db(), account.workspace);
		const byType = new Map<string, string[]>();
		for (const { type, id } of wanted)
			if (schema.types.has(type)) byType.set(type, [...(byType.get(type) ?? []), id]);
		const titles: Record<string, string> = {};
		for (const [type, ids] of byType)
			for (const [id, title] of await titlesOf(db(), schema, account.workspace, type, ids))
				titles[`${type}.${id}`] = title;
		return { titles };
	});
};
