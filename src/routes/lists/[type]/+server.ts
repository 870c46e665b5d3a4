import { error } from '@sveltejs/kit';
import { listOf } from '$door/lists';
import { columnLabel, plainCell } from '../../../runtime/lists';
import { note } from '$server/audit/audit';
import { db } from '$server/db/pool';
import { csvAnswer } from '$server/http/csv';
import { allow, answered } from '$server/http/guard';
import { readyList, shownOf, stretchOf } from '$server/lists/list';
import { inForce } from '$server/records';
import type { RequestHandler } from './$types';

const PIECE = 500;

/** All records of a list, as its address asks for it, with its columns: as CSV. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const { workspace, person } = account;
	const { type } = event.params;
	const { schema } = await inForce(db(), workspace);
	if (!schema.types.has(type)) error(404, `There is no record type “${type}”.`);
	return answered(async () => {
		const asked = listOf(event.url.searchParams);
		const looker = { workspace, person, instant: Date.now() };
		const ready = await readyList(db(), schema, looker, type, asked);
		const { plural } = schema.type(type).type;
		await note(db(), account, 'took out a file', `${plural} as a list`);
		let from: Awaited<ReturnType<typeof stretchOf>>['next'] = null;
		let end = false;
		const head = ['No.', ...ready.columns.map((c) => columnLabel(schema, type, c))];
		return csvAnswer(plural, head, async () => {
			// where the core decides, a stretch may be empty and go on
			while (!end) {
				const { rows, next } = await stretchOf(db(), ready, { from, back: false, size: PIECE });
				from = next;
				end = next === null;
				if (!rows.length) continue;
				const { records, links } = await shownOf(db(), ready, rows);
				return records.map((r) => [
					r.id,
					...ready.columns.map((c, i) => plainCell(schema, type, c, r.cells[i], links))
				]);
			}
			return [];
		});
	});
};
