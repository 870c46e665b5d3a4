import { error } from '@sveltejs/kit';
import { toJson } from '$core';
import { allow } from '$server/http/guard';
import { inForce } from '$server/records';
import { waitingAmong } from '$server/db/carried';
import { db } from '$server/db/pool';
import { searchRecords } from '$server/db/records';
import { linkTitles } from '$server/records/view';
import type { PageServerLoad } from './$types';

const SIZE = 50;

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const { schema } = await inForce(db(), account.workspace);
	const { type } = event.params;
	if (!schema.types.has(type)) error(404, `There is no record type “${type}”.`);
	const find = (event.url.searchParams.get('find') ?? '').slice(0, 100);
	const page = Math.max(
		0,
		Math.min(100_000, Math.floor(Number(event.url.searchParams.get('page') ?? 0)) || 0)
	);
	const { fields } = schema.type(type).type;
	const by = event.url.searchParams.get('sort') ?? '';
	const known = by === 'id' || fields.some((f) => f.id === by);
	const sort = known ? { id: by, desc: event.url.searchParams.get('desc') === '1' } : null;
	const { records, total } = await searchRecords(
		db(),
		schema,
		account.workspace,
		type,
		find,
		page,
		SIZE,
		sort
	);
	const ids = records.map((r) => r.id);
	const waiting = await waitingAmong(db(), account.workspace, type, ids);
	return {
		find,
		page,
		sort,
		pages: Math.max(1, Math.ceil(total / SIZE)),
		total,
		links: await linkTitles(account.workspace, schema, records),
		records: records.map((r) => ({
			id: r.id,
			pending: waiting.has(r.id),
			values: Object.fromEntries(fields.map((f, i) => [f.id, toJson(r.values[i])])),
			byRule: Object.keys(r.setBy).filter((f) => r.setBy[f].by === 'rule')
		}))
	};
};
