import { error } from '@sveltejs/kit';
import { db } from '$server/db/pool';
import { listReleases, readRelease, rulesOf } from '$server/db/rules';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** What a release holds, with who made it; nothing for the draft, which the page has. */
export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const { release } = event.params;
	if (release === 'draft') return { of: null };
	const number = /^\d{1,9}$/.test(release) ? Number(release) : 0;
	const doc = number ? await readRelease(db(), account.workspace, number) : null;
	if (!doc) error(404, `There is no release “${release}”.`);
	const info = (await listReleases(db(), account.workspace)).find((r) => r.number === number)!;
	return { of: { info, set: rulesOf(doc), model: doc.model } };
};
