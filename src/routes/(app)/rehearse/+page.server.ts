import { openJob } from '$server/db/jobs';
import { db } from '$server/db/pool';
import { listRehearsals, readRehearsal } from '$server/db/rehearsals';
import { newestChange } from '$server/db/replayed';
import { listReleases } from '$server/db/rules';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** The rehearsal or replay that the address names, or the newest; those that are kept; the one that is under way. */
export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:work');
	const [open, replay, kept, releases, newest] = await Promise.all([
		openJob(db(), workspace, 'rehearsal'),
		openJob(db(), workspace, 'replay'),
		listRehearsals(db(), workspace),
		listReleases(db(), workspace),
		newestChange(db(), workspace)
	]);
	const asked = event.url.searchParams.get('id');
	// without an address it is the draft's, which is what the ruler and the gate go by
	const changes = event.url.searchParams.get('on') === 'changes';
	const ofDraft = kept.find(
		(k) => k.after === null && !k.file && !k.selection && !k.period === !changes
	);
	const id = kept.some((k) => k.id === asked)
		? asked
		: (ofDraft ?? kept.find((k) => !k.rows && !k.file))?.id;
	return {
		open: open ?? replay,
		kept: kept.map(({ surprises: _, looked: __, ...head }) => head),
		releases: releases.map((r) => r.number),
		newest,
		shown: id ? await readRehearsal(db(), workspace, id) : null,
		forgotten: asked !== null && asked !== (open ?? replay)?.id && !kept.some((k) => k.id === asked)
	};
};
