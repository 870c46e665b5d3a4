import { db } from '$server/db/pool';
import { listReleases } from '$server/db/rules';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** The versions that a bundle can be made of; one that is taken in is looked at in the page. */
export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:work');
	const releases = await listReleases(db(), workspace);
	return { releases: releases.map(({ number, note }) => ({ number, note })) };
};
