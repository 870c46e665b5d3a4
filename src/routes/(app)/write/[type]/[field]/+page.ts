import { fetchEditors } from '$lib/kinds';
import type { PageLoad } from './$types';

/** What the rules of the sheet are edited with is here before they are shown: some of them are open. */
export const load: PageLoad = async ({ data, parent, params }) => {
	const { draft } = await parent();
	const rules = draft.set.rules.filter(
		(r) => r.type === params.type && r.outputs.some((o) => o.field === params.field)
	);
	await fetchEditors([...new Set(rules.map((r) => r.body.kind))]);
	return data;
};
