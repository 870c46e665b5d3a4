import { error, fail } from '@sveltejs/kit';
import { note } from '$server/audit/audit';
import { db } from '$server/db/pool';
import { allow, senderOf } from '$server/http/guard';
import { MAX_IMPORT, importCsv } from '$server/records/import';
import { inForce } from '$server/records';
import type { Actions, PageServerLoad } from './$types';

async function needsType(workspace: string, type: string) {
	const { schema } = await inForce(db(), workspace);
	if (!schema.types.has(type)) error(404, `There is no record type “${type.slice(0, 60)}”.`);
}

export const load: PageServerLoad = async (event) => {
	await needsType(allow(event).workspace, event.params.type);
};

export const actions: Actions = {
	default: async (event) => {
		const account = allow(event);
		await needsType(account.workspace, event.params.type);
		const form = await event.request.formData();
		const file = form.get('file');
		const pasted = String(form.get('text') ?? '');
		if (file instanceof File && file.size > MAX_IMPORT)
			return fail(400, { message: `A file may have ${MAX_IMPORT / 1e6} MB.`, text: '' });
		const text = file instanceof File && file.size ? await file.text() : pasted;
		if (text.includes('\u0000'))
			return fail(400, {
				message: 'This is no text file. Save the sheet as CSV in UTF-8.',
				text: ''
			});
		const keep = form.getAll('keep').map(String);
		const r = await importCsv(senderOf(account, 'import'), event.params.type, text, keep);
		if (!r.ok) return fail(400, { message: r.message, text: pasted });
		const refused = r.rows.filter((x) => x.faults.length).length;
		const name = file instanceof File && file.size ? file.name : 'pasted rows';
		await note(db(), account, 'imported a file', name.slice(0, 200), {
			type: event.params.type,
			rows: r.rows.length,
			refused
		});
		return {
			columns: r.columns,
			rows: r.rows.slice(0, 500),
			total: r.rows.length,
			refused
		};
	}
};
