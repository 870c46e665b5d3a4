import { readModel } from '$server/db/model';
import { db } from '$server/db/pool';
import { needsSecond } from '$server/db/people';
import { listKeptDrafts, listReleases, releaseInForce, wroteSinceRelease } from '$server/db/rules';
import { readGate } from '$server/db/workspace';
import { unfitFor } from '$server/draft/fits';
import { returnsRehearsed } from '$server/draft/release';
import { allow } from '$server/http/guard';
import type { PageServerLoad } from './$types';

/** How many of the newest releases are tried on the model of today; an older one is when it is put in force. */
const MOST_TRIED = 30;

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	event.depends('app:work');
	const releases = await listReleases(db(), account.workspace);
	const { model, revision } = await readModel(db(), account.workspace);
	const unfit: Record<number, string> = {};
	for (const { number } of releases.slice(0, MOST_TRIED)) {
		const why = await unfitFor(db(), account.workspace, number, model, revision);
		if (why) unfit[number] = why;
	}
	const second =
		(await needsSecond(db(), account.workspace)) &&
		(await wroteSinceRelease(db(), account.workspace, account.id));
	return {
		gate: await readGate(db(), account.workspace),
		/** What the return to each release would do, where that was rehearsed. */
		returns: Object.fromEntries(
			await returnsRehearsed(db(), account.workspace, await releaseInForce(db(), account.workspace))
		),
		releases,
		unfit,
		kept: await listKeptDrafts(db(), account.workspace),
		/** Somebody else has to release what stands. */
		needsSecond: second
	};
};
