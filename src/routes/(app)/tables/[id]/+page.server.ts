import { own } from '$core';
import { listEdits, readEditors } from '$server/db/living';
import { listAccounts } from '$server/people/accounts';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import { mayEditRows } from '$server/living/living';
import type { PageServerLoad } from './$types';

/** Edits that are shown at first, and with each more. */
const EDITS = 20;

/** Who may edit the rows of the table, and the edits that were made. */
export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	event.depends('app:work', 'app:edits');
	const { workspace } = account;
	const { id } = event.params;
	const asked = Number(event.url.searchParams.get('edits') ?? EDITS);
	const most = Number.isInteger(asked) && asked > 0 && asked <= 1000 ? asked : EDITS;
	const [editors, edits, people, mayEdit] = await Promise.all([
		readEditors(db(), workspace),
		listEdits(db(), workspace, id, most + 1),
		listAccounts(db(), workspace),
		mayEditRows(db(), account, id)
	]);
	return {
		editors: own(editors, id) ?? [],
		edits: edits.slice(0, most),
		more: edits.length > most,
		people: people
			.filter((p) => !p.retired)
			.map(({ id, name, role, service }) => ({ id, name, role, service })),
		mayEdit
	};
};
