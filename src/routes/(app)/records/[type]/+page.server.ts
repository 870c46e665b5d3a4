import { error } from '@sveltejs/kit';
import { BadInput } from '$door';
import { EVERYTHING, listOf, type ListAsked } from '$door/lists';
import { waitingAmong } from '$server/db/carried';
import { membersAmong } from '$server/db/pilot';
import { db } from '$server/db/pool';
import { dataFault } from '$server/db/trouble';
import { listViews } from '$server/db/views';
import { allow } from '$server/http/guard';
import { countOf, cursorOf, cursorText, readyList, shownOf, stretchOf } from '$server/lists/list';
import { helpfulFor } from '$server/lists/indexes';
import { mayChangeView } from '$server/lists/views';
import { inForce } from '$server/records';
import type { PageServerLoad } from './$types';

const SIZE = 50;
/** Milliseconds from which on a page says why it took so long. */
const SLOW = 500;

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const { workspace, person } = account;
	const { schema, pilot } = await inForce(db(), workspace);
	const { type } = event.params;
	if (!schema.types.has(type)) error(404, `There is no record type “${type}”.`);
	const q = event.url.searchParams;
	const views = (await listViews(db(), workspace, type)).map((v) => ({
		...v,
		mine: mayChangeView(account, v)
	}));
	const view = views.find((v) => v.id === q.get('view')) ?? null;
	const back = q.has('before');
	const nothing = {
		view: view?.id ?? null,
		gone: q.has('view') && !view,
		views,
		columns: [] as string[],
		records: [] as (Awaited<ReturnType<typeof shownOf>>['records'][number] & {
			pending: boolean;
			member: boolean;
		})[],
		links: {},
		next: null as string | null,
		before: null as string | null,
		stoppedAfter: null as number | null,
		knownFrom: null as string | null,
		slow: null as { ms: number; indexes: number } | null,
		count: Promise.resolve(null as Awaited<ReturnType<typeof countOf>>)
	};
	let asked: ListAsked = view?.list ?? EVERYTHING;
	try {
		asked = listOf(q, asked);
		const looker = { workspace, person, instant: Date.now() };
		const ready = await readyList(db(), schema, looker, type, asked);
		const from = cursorOf(q.get('before') ?? q.get('after'));
		const began = performance.now();
		const { rows, ...stretch } = await stretchOf(db(), ready, { from, back, size: SIZE });
		const ms = Math.round(performance.now() - began);
		const { records, links } = await shownOf(db(), ready, rows);
		const ids = records.map((r) => r.id);
		const waiting = await waitingAmong(db(), workspace, type, ids);
		const members = pilot ? await membersAmong(db(), pilot.id, type, ids) : new Set();
		return {
			...nothing,
			asked,
			fault: null,
			columns: ready.written,
			records: records.map((r) => ({
				...r,
				pending: waiting.has(r.id),
				member: members.has(r.id)
			})),
			links,
			next: cursorText(stretch.next),
			before: cursorText(stretch.before),
			stoppedAfter: stretch.stoppedAfter,
			knownFrom: ready.knownFrom,
			slow: ms > SLOW ? { ms, indexes: await helpfulFor(db(), schema, type, asked) } : null,
			// the page does not wait for it
			count: countOf(db(), ready).catch(() => null)
		};
	} catch (e) {
		const fault = e instanceof BadInput ? e.message : dataFault(e);
		if (fault === null || fault === undefined) throw e;
		return { ...nothing, asked, fault };
	}
};
