import { LocalDate } from '$core';
import { journalAsked } from '$door/journal';
import { note } from '$server/audit/audit';
import { journalStretch } from '$server/db/journal-lines';
import { readPastFields } from '$server/db/model';
import { db } from '$server/db/pool';
import { csvAnswer } from '$server/http/csv';
import { allow, answered } from '$server/http/guard';
import { inForce } from '$server/records';
import { JOURNAL_HEAD, journalRows } from '$server/records/journal-file';
import { titlesOfLines } from '$server/records/view';
import { dayAfter } from '../../../../runtime/days';
import { startOfDay } from '../../../../runtime/format';
import type { RequestHandler } from './$types';

/** Changes whose lines are read at once: one of a job may have some hundred. */
const FEWEST = 20;
const MOST = 500;

/** All lines of the journal that an address asks for, the newest first: as CSV. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const { workspace } = account;
	return answered(async () => {
		const asked = journalAsked(event.params.rule, event.url.searchParams);
		const force = await inForce(db(), workspace);
		const { schema } = force;
		const { zone } = schema.model;
		const between = {
			from: asked.from && startOfDay(LocalDate.parse(asked.from)!, zone),
			before: asked.to && startOfDay(dayAfter(LocalDate.parse(asked.to)!), zone)
		};
		const past = await readPastFields(db(), workspace);
		await note(db(), account, 'took out a file', 'The journal');
		let before: string | null = null;
		let end = false;
		let changes = FEWEST;
		return csvAnswer('Journal', JOURNAL_HEAD, async () => {
			// a stretch may have nothing of what is asked
			while (!end) {
				const { lines, next } = await journalStretch(
					db(),
					workspace,
					asked,
					between,
					before,
					changes
				);
				before = next;
				end = next === null;
				// further, where there is little
				changes = lines.length ? FEWEST : Math.min(2 * changes, MOST);
				if (!lines.length) continue;
				const titles = await titlesOfLines(workspace, schema, lines);
				return journalRows(lines, force, past, titles);
			}
			return [];
		});
	});
};
