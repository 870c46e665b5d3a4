import { error } from '@sveltejs/kit';
import type { PageLoad } from './$types';

export const load: PageLoad = async ({ parent, params }) => {
	const { model } = await parent();
	if (!model.types.some((t) => t.id === params.type))
		error(404, `There is no record type “${params.type}”.`);
};
