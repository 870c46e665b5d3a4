import { error, redirect } from '@sveltejs/kit';
import { LocalDate, toJson } from '$core';
import { allow } from '$server/http/guard';
import { inForce, settledAs, settlingOf } from '$server/records';
import { waitingAmong } from '$server/db/carried';
import { deletedRecord } from '$server/db/deleted';
import { pointingTo } from '$server/db/past';
import { membershipOf } from '$server/db/pilot';
import { db } from '$server/db/pool';
import { tellSetBy } from '$server/db/history';
import { readRecords, stampsOf } from '$server/db/records';
import { lineOfOne } from '$server/line/line';
import { recordThen } from '$server/records/past';
import { historyOf, linkTitles } from '$server/records/view';
import { dayAfter } from '../../../../../runtime/days';
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

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const w = account.workspace;
	const { type, id } = event.params;
	const force = await inForce(db(), w);
	const { schema } = force;
	const known = schema.types.has(type) && /^\d{1,18}$/.test(id);
	const [r] = known ? await readRecords(db(), schema, w, type, [id]) : [];
	if (!r && known && (await deletedRecord(db(), w, type, id)))
		redirect(303, `/records/${type}/${id}/deleted`);
	if (!r)
		error(404, 'There is no such record. It may have been removed, or the address is not right.');
	const stamps = await stampsOf(db(), w, type, id);
	const { fields, title } = schema.type(type).type;
	const member = force.pilot && (await membershipOf(db(), force.pilot.id, type, id));
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
	const before = event.url.searchParams.get('before');
	const { links, ...told } = await historyOf(w, schema, type, id, then?.values, before);
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
		...told,
		/** As it was at the end of a day. */
		then: then && { on: on.toString(), ...then },
		related,
		line: await lineOfOne(w, type, id),
		pending: (await waitingAmong(db(), w, type, [id])).has(id),
		links: { ...links, ...(await linkTitles(w, schema, [r])) }
	};
};
