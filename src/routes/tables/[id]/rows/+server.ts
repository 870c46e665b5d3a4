import { error, json } from '@sveltejs/kit';
import { readJson } from '$door';
import { checkRows, type RowsFile } from '$door/living';
import { note } from '$server/audit/audit';
import { readEdit, rowsAt } from '$server/db/living';
import { db } from '$server/db/pool';
import { readDraft, readRelease, releaseInForce } from '$server/db/rules';
import { allow, answer, whoAsks } from '$server/http/guard';
import { editRows } from '$server/living/living';
import type { RequestHandler } from './$types';

/** Characters of an edit: thousands of rows. */
const MOST = 8_000_000;

/** The rows in force as a file, or with `?edit=12` as they stood after that edit. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const { workspace } = account;
	const { id } = event.params;
	const asked = event.url.searchParams.get('edit');
	const number = asked === null ? undefined : /^\d{1,9}$/.test(asked) ? Number(asked) : NaN;
	if (number !== undefined && !(await readEdit(db(), workspace, number)))
		error(404, `There is no edit ${asked}.`);
	const { rows, number: edit } = await rowsAt(db(), workspace, number);
	const release = await releaseInForce(db(), workspace);
	const doc = release ? await readRelease(db(), workspace, release) : null;
	const { set } = await readDraft(db(), workspace);
	const table = [...(doc?.tables ?? []), ...(set.tables ?? [])].find((t) => t.id === id);
	if (!table || !Object.hasOwn(rows, id)) error(404, 'There is no living table of this name.');
	await note(db(), account, 'took out a file', `Rows of “${table.label}” after edit ${edit}`);
	const file: RowsFile = {
		format: 'rigid-rule/rows',
		version: 1,
		table: id,
		label: table.label,
		edit,
		rows: rows[id].map(({ id, cells }) => ({ id, cells }))
	};
	return json(file, {
		headers: { 'content-disposition': `attachment; filename="rows-${id}-${edit}.json"` }
	});
};

/** Edits rows of a living table; what somebody else overtook is told, and nothing is stored then. */
export const POST: RequestHandler = (event) => {
	const account = whoAsks(event);
	return answer(async () =>
		editRows(account, event.params.id, checkRows(await readJson(event.request, MOST)))
	);
};
