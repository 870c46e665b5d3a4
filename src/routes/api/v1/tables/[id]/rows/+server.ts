import { error, json } from '@sveltejs/kit';
import { cellsOf, keyColumns } from '$core';
import { readJson } from '$door';
import { checkRowsSent } from '$door/living';
import { db } from '$server/db/pool';
import { allowAll, answered } from '$server/http/guard';
import { editRowsByKey, readTable } from '$server/living/living';
import type { RequestHandler } from './$types';

/** Characters of rows: thousands of them. */
const MOST = 8_000_000;

async function tableNeeded(workspace: string, id: string) {
	const found = await readTable(db(), workspace, id);
	return found ?? error(404, 'There is no such table in the release in force.');
}

/** A table as it is in force, with the rows that stand. */
export const GET: RequestHandler = (event) => {
	const { workspace } = allowAll(event, 'a table');
	return answered(async () => {
		const { table, edit } = await tableNeeded(workspace, event.params.id);
		return json({
			table: table.id,
			label: table.label,
			living: table.living === true,
			edit,
			columns: table.columns.map(({ id, label, type }) => ({ id, label, type })),
			keys: keyColumns(table),
			rows: table.rows.map((r) => cellsOf(table, r))
		});
	});
};

/** Edits rows of a living table, found by their keys: `{"rows": [{…}], "remove": [{…}], "why": "…", "edit": 12}`. */
export const PATCH: RequestHandler = (event) => {
	const account = allowAll(event, 'a table');
	return answered(async () => {
		await tableNeeded(account.workspace, event.params.id);
		const sent = checkRowsSent(await readJson(event.request, MOST));
		const done = await editRowsByKey(account, event.params.id, sent);
		if ('edit' in done) return json(done);
		const { places, overtaken } = done;
		const which =
			places.length > 5 ? `${places.slice(0, 5).join(', ')} and others` : places.join(', ');
		const message = `Somebody else edited ${which} since edit ${sent.edit}. Nothing was stored.`;
		return json({ message, overtaken }, { status: 409 });
	});
};
