import { LINE_IS, type LineIs } from '$door/line';
import { allow } from '$server/http/guard';
import { lineCounts, lineShown, newestLook } from '$server/line/line';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:line');
	const q = event.url.searchParams;
	const counts = await lineCounts(workspace);
	const total = (is: LineIs, type: string, field: string) =>
		counts.reduce((n, c) => (c.type === type && c.field === field ? n + c[is] : n), 0);
	const at = { type: q.get('type') ?? '', field: q.get('field') ?? '' };
	const is =
		LINE_IS.find((x) => x === q.get('is')) ??
		LINE_IS.find((x) => total(x, at.type, at.field)) ??
		'open';
	const after = /^\d{1,18}$/.exec(q.get('after') ?? '')?.[0] ?? '0';
	const shown = at.field ? await lineShown(workspace, { ...at, is }, after) : null;
	return {
		at,
		is,
		after,
		shown,
		// looked at again meanwhile
		counts: shown ? await lineCounts(workspace) : counts,
		look: await newestLook(workspace)
	};
};
