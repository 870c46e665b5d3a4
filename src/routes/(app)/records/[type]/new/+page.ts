import { error } from '@sveltejs/kit';

export const load = async ({ parent, params }) => {
	const { model } = await parent();
	if (!model.types.some((t) => t.id === params.type)) error(404, `There is no record type “${params.type}”.`);
};
