import { error } from '@sveltejs/kit';
import { toJson } from '$core';
import { allow } from '$server/http/guard';
import { inForce } from '$server/records';
import { waitingAmong } from '$server/db/carried';
import { alongLinks } from '$server/db/journal';
import { db } from '$server/db/pool';
import { readPastFields } from '$server/db/model';
import { readHistory, tellSetBy } from '$server/db/history';
import { readRecords, titlesOf } from '$server/db/records';
import { lineOfOne } from '$server/line/line';
import { linkTitles } from '$server/records/view';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const w = account.workspace;
	const { type, id } = event.params;
	const { schema, release } = await inForce(db(), w);
	const known = schema.types.has(type) && /^\d{1,18}$/.test(id);
	const [r] = known ? await readRecords(db(), schema, w, type, [id]) : [];
	if (!r)
		error(404, 'There is no such record. It may have been removed, or the address is not right.');
	const { fields, title } = schema.type(type).type;
	const history = await readHistory(db(), w, type, id);
	const along = await alongLinks(
		db(),
		history.map((h) => h.change),
		{ type, id }
	);
	const links = await linkTitles(w, schema, [r]);
	const past = (await readPastFields(db(), w)).filter((p) => p.type === type);
	// links that history tells of may point elsewhere than today's, and be of fields that are others now
	for (const f of [...fields, ...past.map((p) => p.field)]) {
		if (f.type !== 'link' || !schema.types.has(f.target!)) continue;
		const told = history.flatMap((h) =>
			h.lines.filter((l) => l.field === f.id).flatMap((l) => [l.was, l.now])
		);
		const ids = told.filter((v): v is string => typeof v === 'string' && /^\d{1,18}$/.test(v));
		for (const [k, t] of await titlesOf(db(), schema, w, f.target!, [...new Set(ids)]))
			links[`${f.target}.${k}`] = t;
	}
	return {
		id: r.id,
		version: r.version,
		inLine: r.settledBy === release,
		values: Object.fromEntries(fields.map((f, i) => [f.id, toJson(r.values[i])])),
		title: String(toJson(r.values[schema.type(type).at.get(title)!]) ?? `No. ${r.id}`),
		setBy: await tellSetBy(db(), r),
		history,
		past,
		along,
		line: await lineOfOne(w, type, id),
		pending: (await waitingAmong(db(), w, type, [id])).has(id),
		links
	};
};
