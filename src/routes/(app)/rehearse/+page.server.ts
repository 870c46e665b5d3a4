import { openJob } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { listRehearsals, readRehearsal } from '$server/db/rehearsals';
import { listReleases } from '$server/db/rules';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** The rehearsal that the address names, or the newest; those that are kept; the one that is under way. */
export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:work');
	const [open, kept, releases] = await Promise.all([
		openJob(db(), workspace, 'rehearsal'),
		listRehearsals(db(), workspace),
		listReleases(db(), workspace)
	]);
	const asked = event.url.searchParams.get('id');
	// without an address it is the draft's, which is what the ruler and the gate go by
	const ofDraft = kept.find((k) => k.after === null && !k.selection);
	const id = kept.some((k) => k.id === asked) ? asked : (ofDraft ?? kept[0])?.id;
	return {
		open,
		kept: kept.map(({ surprises: _, looked: __, ...head }) => head),
		releases: releases.map((r) => r.number),
		shown: id ? await readRehearsal(db(), workspace, id) : null,
		forgotten: asked !== null && asked !== open?.id && !kept.some((k) => k.id === asked)
	};
};
