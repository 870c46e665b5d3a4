import { redirect } from '@sveltejs/kit';
import { readModel } from '$server/db/model';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** The model begins with its first record type. */
export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const { model } = await readModel(db(), account.workspace);
	redirect(307, `/model/${model.types[0].id}`);
};
