import { error } from '@sveltejs/kit';
import { readJson } from '$door';
import { checkRowsBack } from '$door/living';
import { editedBy, readEdit } from '$server/db/living';
import { db } from '$server/db/pool';
import { allow, answer, whoAsks } from '$server/http/guard';
import { takeRowsBack } from '$server/living/living';
import type { RequestHandler } from './$types';

const numberOf = (text: string): number => {
	if (!/^\d{1,9}$/.test(text)) error(404, 'There is no such edit.');
	return Number(text);
};

/** What an edit did, row by row. */
export const GET: RequestHandler = async (event) => {
	const { workspace } = allow(event);
	const number = numberOf(event.params.edit);
	const edit = await readEdit(db(), workspace, number);
	if (!edit || edit.table !== event.params.id) error(404, 'There is no such edit.');
	return answer(async () => ({ edit, rows: await editedBy(db(), workspace, edit.table, number) }));
};

/** Takes an edit back, which is an edit itself. */
export const POST: RequestHandler = (event) => {
	const account = whoAsks(event);
	const number = numberOf(event.params.edit);
	return answer(async () => {
		const { brings } = checkRowsBack(await readJson(event.request));
		return takeRowsBack(account, event.params.id, number, brings);
	});
};
