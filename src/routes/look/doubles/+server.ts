import { doubledOf, readModel } from '$server/db/model';
import { db } from '$server/db/pool';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** What several records hold in a field by which other systems know them. */
export const GET: RequestHandler = (event) => {
	const { workspace } = allow(event);
	return answer(async () => {
		const { model } = await readModel(db(), workspace);
		const doubles: unknown[] = [];
		for (const t of model.types)
			for (const f of t.fields) {
				if (!f.key || f.retired) continue;
				const found = await doubledOf(db(), workspace, t.id, f);
				if (found) doubles.push({ ...found, field: f.id });
			}
		return { doubles };
	});
};
