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
/** Pilots that ended, at once. */
const ENDED = 20;

/** The pilot that is on, or one that ended: its records, and what it decided otherwise day by day. */
export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:work', 'app:pilot');
	const q = event.url.searchParams;
	const number = (name: string) => (/^\d{1,18}$/.test(q.get(name) ?? '') ? q.get(name) : null);
	const [newest] = await listPilots(db(), workspace, { most: 1 });
	const on = newest && !newest.ended ? newest : null;
	const id = number('id');
	const [asked] = id ? await listPilots(db(), workspace, { most: 1, only: id }) : [];
	const shown = asked ?? on;
	const ended = await listPilots(db(), workspace, {
		most: ENDED + 1,
		before: number('ended') ?? on?.id ?? null
	});
	const { schema } = await inForce(db(), workspace);
	const { zone } = schema.model;
	const days = shown ? await differencesByDay(db(), shown.id, zone) : [];
	const [type = '', field] = (q.get('of') ?? '').split('.');
	const of = days.find((d) => d.type === type && (d.field ?? '') === field);
	const day = days.some((d) => d.day === q.get('day')) ? q.get('day') : null;
	const before = number('before');
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
		ended: ended.slice(0, ENDED),
		/** Where the pilots go on that ended earlier; null where there are none. */
		earlier: ended.length > ENDED ? ended[ENDED - 1].id : null,
		/** Those that ended last are not among these. */
		notNewest: number('ended') !== null,
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
