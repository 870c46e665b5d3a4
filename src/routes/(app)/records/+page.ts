import { redirect } from '@sveltejs/kit';
import type { PageLoad } from './$types';

/** Records begin with the first record type. */
export const load: PageLoad = async ({ parent }) => {
	const { model } = await parent();
	redirect(307, `/records/${model.types[0].id}`);
};
