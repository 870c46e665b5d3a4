import { error, fail, redirect } from '@sveltejs/kit';
import { BadInput } from '$door';
import { db } from '$server/db/pool';
import { listImports } from '$server/db/imports';
import { allow } from '$server/http/guard';
import { takeIn } from '$server/imports/imports';
import { inForce } from '$server/records';
import type { Actions, PageServerLoad } from './$types';

/** Files taken in before that are shown. */
const EARLIER = 20;

async function needsType(workspace: string, type: string) {
	const { schema } = await inForce(db(), workspace);
	if (!schema.types.has(type)) error(404, `There is no record type “${type.slice(0, 60)}”.`);
}

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	await needsType(workspace, event.params.type);
	const earlier = await listImports(db(), workspace, event.params.type, EARLIER + 1);
	return { earlier: earlier.slice(0, EARLIER), more: earlier.length > EARLIER };
};

export const actions: Actions = {
	default: async (event) => {
		const account = allow(event);
		const { type } = event.params;
		await needsType(account.workspace, type);
		const form = await event.request.formData();
		const file = form.get('file');
		const pasted = String(form.get('text') ?? '');
		const chosen = file instanceof File && file.size > 0;
		const content = chosen ? Buffer.from(await file.arrayBuffer()) : Buffer.from(pasted);
		if (!content.length)
			return fail(400, { message: 'Choose a file, or paste rows.', text: pasted });
		let id: string;
		try {
			id = await takeIn(account, { type, name: chosen ? file.name : 'pasted rows', content });
		} catch (e) {
			if (!(e instanceof BadInput)) throw e;
			return fail(400, { message: e.message, text: pasted });
		}
		redirect(303, `/imports/${id}`);
	}
};
