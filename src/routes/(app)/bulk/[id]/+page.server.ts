import { error } from '@sveltejs/kit';
import type { JsonValue } from '$core';
import { BULK_IS, movesOf, readBulk, readBulkRows, sentWithJob, tallyBulk } from '$server/db/bulk';
import { isUuid, readJob } from '$server/db/jobs';
import { readPastFields } from '$server/db/model';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import { inForce } from '$server/records';
import type { PageServerLoad } from './$types';

const SIZE = 50;
/** Moves shown of each field. */
const MOST_MOVES = 8;

/** What becomes what, of the records to be shown; null for all, and for what is none. */
function moveOf(text: string | null): { field: string; from: JsonValue; to: JsonValue } | null {
	if (!text) return null;
	try {
		const v = JSON.parse(text) as unknown;
		if (!Array.isArray(v) || v.length !== 3 || typeof v[0] !== 'string') return null;
		return { field: v[0], from: v[1] as JsonValue, to: v[2] as JsonValue };
	} catch {
		return null;
	}
}

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:bulk');
	const { id } = event.params;
	const bulk = isUuid(id) ? await readBulk(db(), id, workspace) : null;
	if (!bulk) error(404, 'There is no such bulk change.');
	const { schema } = await inForce(db(), workspace);
	if (!schema.types.has(bulk.type)) error(404, 'The record type of this bulk change is gone.');
	const q = event.url.searchParams;
	const column = bulk.job ? ('outcome' as const) : ('look' as const);
	const is = BULK_IS.find((x) => x === q.get('is')) ?? null;
	const move = moveOf(q.get('move'));
	const after = Number(/^\d{1,7}$/.exec(q.get('after') ?? '')?.[0] ?? 0);
	const [look, job, tally, looked, told, rows] = await Promise.all([
		bulk.look ? readJob(db(), bulk.look) : null,
		bulk.job ? readJob(db(), bulk.job) : null,
		tallyBulk(db(), id, column),
		tallyBulk(db(), id, 'look'),
		movesOf(db(), id, column, MOST_MOVES),
		readBulkRows(db(), id, { column, is, move, after, most: SIZE + 1 })
	]);
	return {
		bulk,
		past: await readPastFields(db(), workspace),
		/** Messages that left with what is taken back: they stay sent. */
		sent: bulk.undoesJob ? await sentWithJob(db(), workspace, bulk.undoesJob) : 0,
		look,
		job,
		tally,
		/** How many records would have changed when it was looked at. */
		toChange: looked.is.changed,
		...told,
		is,
		move,
		after,
		rows: rows.slice(0, SIZE),
		more: rows.length > SIZE ? rows[SIZE - 1].n : null
	};
};
