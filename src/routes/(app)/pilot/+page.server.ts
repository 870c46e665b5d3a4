import { differencesByDay, listDifferences, listPilots } from '$server/db/pilot';
import { listAccounts } from '$server/db/people';
import { db } from '$server/db/pool';
import { listReleases } from '$server/db/rules';
import { allow } from '$server/http/guard';
import { titlesOfLines } from '$server/records/view';
import { inForce } from '$server/records';
import { dayIn } from '../../../runtime/format';
import type { PageServerLoad } from './$types';

const SIZE = 50;

/** The pilot that is on, or one that ended: its records, and what it decided otherwise day by day. */
export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:work', 'app:pilot');
	const q = event.url.searchParams;
	const pilots = await listPilots(db(), workspace);
	const on = pilots.find((p) => !p.ended) ?? null;
	const shown = pilots.find((p) => p.id === q.get('id')) ?? on;
	const { schema } = await inForce(db(), workspace);
	const { zone } = schema.model;
	const days = shown ? await differencesByDay(db(), shown.id, zone) : [];
	const [type = '', field] = (q.get('of') ?? '').split('.');
	const of = days.find((d) => d.type === type && (d.field ?? '') === field);
	const day = days.some((d) => d.day === q.get('day')) ? q.get('day') : null;
	const before = /^\d{1,18}$/.test(q.get('before') ?? '') ? q.get('before') : null;
	const rows =
		shown && of && schema.types.has(type)
			? await listDifferences(db(), shown.id, {
					zone,
					day,
					type,
					field: of.field,
					title: schema.type(type).type.title,
					before,
					most: SIZE + 1
				})
			: [];
	const links = await titlesOfLines(
		workspace,
		schema,
		rows.map((r) => ({ ...r, was: r.beside, now: r.gave }))
	);
	return {
		pilots,
		shown,
		on,
		days,
		today: dayIn(new Date().toISOString(), zone)!,
		of: of ? { type, field: of.field } : null,
		day,
		rows: rows.slice(0, SIZE),
		more: rows.length > SIZE,
		links,
		releases: (await listReleases(db(), workspace)).map(({ number, note }) => ({ number, note })),
		people: (await listAccounts(db(), workspace))
			.filter((a) => !a.retired)
			.map(({ id, name }) => ({ id, name }))
	};
};
