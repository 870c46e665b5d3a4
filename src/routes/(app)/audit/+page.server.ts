import { DEEDS, readEntries } from '$server/db/audit';
import { db } from '$server/db/pool';
import { auditSearch } from '$server/audit/search';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

const SIZE = 100;

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const q = event.url.searchParams;
	const { search, asked, fault } = auditSearch(q);
	const before = /^\d{1,18}$/.exec(q.get('before') ?? '')?.[0] ?? null;
	const entries = await readEntries(db(), account.workspace, search, { before, most: SIZE + 1 });
	return {
		asked,
		fault,
		groups: [...new Set(Object.values(DEEDS))],
		entries: entries.slice(0, SIZE),
		next: entries.length > SIZE ? entries[SIZE - 1].id : null,
		later: before !== null
	};
};
