import { valuesToJson } from '$core';
import { inForce } from '$server/records';
import { fetchNeeds } from '$server/records/near';
import { db } from '$server/db/pool';
import { checkNeeds, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Most records of a collection that are sent with it; a form asks for those beyond when a rule reads them. */
const AHEAD = 1_000;

/** Records that a rule reads through links, and the ids of those that point to one: what a form has not at hand. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const needs = checkNeeds(await readJson(event.request));
		const { workspace } = account;
		const { schema } = await inForce(db(), workspace);
		const near = await fetchNeeds(db(), workspace, schema, needs, { ahead: AHEAD });
		const records = [...near.records].map((r) => ({
			...r,
			values: r.values && valuesToJson(schema, r.type, r.values)
		}));
		return { records, related: near.related, found: near.found };
	});
};
