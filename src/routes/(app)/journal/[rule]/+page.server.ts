import { journalOf } from '$server/db/journal';
import { readPastFields } from '$server/db/model';
import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

const SIZE = 50;

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const q = event.url.searchParams;
	const page = Math.max(0, Math.floor(Number(q.get('page')) || 0));
	const quiet = q.get('quiet') !== 'no';
	const asked = q.get('change');
	const change = asked && /^\d{1,18}$/.test(asked) ? asked : undefined;
	const lines = await journalOf(db(), account.workspace, event.params.rule, {
		page,
		size: SIZE,
		quiet,
		change
	});
	const past = await readPastFields(db(), account.workspace);
	return { change: change ?? null, past, lines, page, quiet, more: lines.length === SIZE };
};
