import { redirect } from '@sveltejs/kit';
import type { PageLoad } from './$types';

/** One begins at a field that rules write, or at the first there is. */
export const load: PageLoad = async ({ parent }) => {
	const { model, draft } = await parent();
	const rule = draft.set.rules.find((r) => r.outputs.length);
	const type = model.types.find((t) => t.id === rule?.type) ?? model.types[0];
	redirect(307, `/write/${type.id}/${rule?.outputs[0].field ?? type.fields[0].id}`);
};
