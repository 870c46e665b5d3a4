import { error } from '@sveltejs/kit';
import { MESSAGES } from '$core';
import { allow } from '$server/http/guard';
import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { readRecords } from '$server/db/records';
import { sampleOf } from '$server/records/view';
import type { PageServerLoad } from './$types';

/** The record to begin with as a sample: the one asked for (`?sample=`), or the first. */
export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const { type, field } = event.params;
	const { schema } = await inForce(db(), account.workspace);
	const there = field === MESSAGES ? schema.types.has(type) : schema.field(type, field);
	if (!there)
		error(404, `There is no field “${field}” on ${schema.types.get(type)?.type.label ?? type}.`);
	const wanted = event.url.searchParams.get('sample');
	const id = wanted && /^\d{1,18}$/.test(wanted) ? wanted : '1';
	const [r] = await readRecords(db(), schema, account.workspace, type, [id]);
	return { asked: wanted, first: r ? await sampleOf(account.workspace, schema, r) : null };
};
