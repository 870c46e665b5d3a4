import { error } from '@sveltejs/kit';
import { LocalDate, toJson } from '$core';
import { allow } from '$server/http/guard';
import { inForce, settledAs, settlingOf } from '$server/records';
import { waitingAmong } from '$server/db/carried';
import { alongLinks } from '$server/db/journal';
import { pointingTo } from '$server/db/past';
import { membershipOf } from '$server/db/pilot';
import { db } from '$server/db/pool';
import { readPastFields } from '$server/db/model';
import { readHistory, tellSetBy } from '$server/db/history';
import { readRecords, stampsOf, titlesOf } from '$server/db/records';
import { lineOfOne } from '$server/line/line';
import { recordThen } from '$server/records/past';
import { linkTitles } from '$server/records/view';
import { startOfDay } from '../../../../../runtime/format';
import type { PageServerLoad } from './$types';

/** Records that point to one are counted so far. */
const MOST_RELATED = 1_000;
const RELATED_SHOWN = 6;

/** A day as an address has it; null for none. */
function dayOf(text: string | null): LocalDate | null {
	const d = text ? LocalDate.parse(text) : null;
	return d && d.year >= 1900 && d.year < 9999 ? d : null;
}
const dayAfter = (d: LocalDate) => LocalDate.fromEpochDay(d.epochDay + 1)!;

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const w = account.workspace;
	const { type, id } = event.params;
	const force = await inForce(db(), w);
	const { schema } = force;
	const known = schema.types.has(type) && /^\d{1,18}$/.test(id);
	const [r] = known ? await readRecords(db(), schema, w, type, [id]) : [];
	if (!r)
		error(404, 'There is no such record. It may have been removed, or the address is not right.');
	const stamps = await stampsOf(db(), w, type, id);
	const { fields, title } = schema.type(type).type;
	const member = force.pilot && (await membershipOf(db(), force.pilot.id, type, id));
	const history = await readHistory(db(), w, type, id);
	const along = await alongLinks(
		db(),
		history.map((h) => h.change),
		{ type, id }
	);
	const on = dayOf(event.url.searchParams.get('on'));
	const then =
		on && (await recordThen(db(), w, schema, r, startOfDay(dayAfter(on), schema.model.zone)));
	const related = (
		await Promise.all(
			schema.model.types.flatMap((t) =>
				t.fields
					.filter((f) => f.type === 'link' && f.target === type && !f.retired)
					.map(async (f) => ({
						type: t.id,
						field: f.id,
						most: MOST_RELATED,
						...(await pointingTo(db(), w, {
							type: t.id,
							field: f.id,
							title: t.title,
							id,
							most: MOST_RELATED,
							shown: RELATED_SHOWN
						}))
					}))
			)
		)
	).filter((x) => x.n);
	const links = await linkTitles(w, schema, [r]);
	const more = [
		...history.flatMap((h) => (h.began ? [h.began] : [])),
		...Object.values(along).flatMap((x) => x.slice(0, 8))
	];
	for (const of of new Set(more.map((x) => x.type))) {
		if (!schema.types.has(of)) continue;
		const ids = more.flatMap((x) => (x.type === of ? [x.record] : []));
		for (const [k, t] of await titlesOf(db(), schema, w, of, [...new Set(ids)]))
			links[`${of}.${k}`] = t;
	}
	const past = (await readPastFields(db(), w)).filter((p) => p.type === type);
	// links that history tells of may point elsewhere than today's, and be of fields that are others now
	for (const f of [...fields, ...past.map((p) => p.field)]) {
		if (f.type !== 'link' || !schema.types.has(f.target!)) continue;
		const told = history.flatMap((h) =>
			h.lines.filter((l) => l.field === f.id).flatMap((l) => [l.was, l.now])
		);
		if (then) told.push(then.values[f.id] ?? null);
		const ids = told.filter((v): v is string => typeof v === 'string' && /^\d{1,18}$/.test(v));
		for (const [k, t] of await titlesOf(db(), schema, w, f.target!, [...new Set(ids)]))
			links[`${f.target}.${k}`] = t;
	}
	return {
		id: r.id,
		version: r.version,
		inLine: settledAs(r.settledBy, settlingOf(force, { pilot: member !== null })),
		/** Since when it belongs to the pilot that is on, and how it came to. */
		member,
		values: Object.fromEntries(fields.map((f, i) => [f.id, toJson(r.values[i])])),
		stamps,
		title: String(toJson(r.values[schema.type(type).at.get(title)!]) ?? `No. ${r.id}`),
		setBy: await tellSetBy(db(), r),
		history,
		past,
		along,
		/** As it was at the end of a day. */
		then: then && { on: on.toString(), ...then },
		related,
		line: await lineOfOne(w, type, id),
		pending: (await waitingAmong(db(), w, type, [id])).has(id),
		links
	};
};
