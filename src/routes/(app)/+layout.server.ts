import { whoAsks } from '$server/http/guard';
import { db } from '$server/db/pool';
import { newestOfDraft } from '$server/db/rehearsals';
import { listRemarks } from '$server/db/remarks';
import { readWorkspace } from '$server/db/workspace';
import { knownOverruled } from '$server/db/journal';
import { readWork } from '$server/draft/work';
import { rowsToSend } from '$server/living/sent';
import type { LayoutServerLoad } from './$types';

/** What every page works on: the model, the draft, what is in force, and by which mark trials are fetched. */
export const load: LayoutServerLoad = async (event) => {
	event.depends('app:work');
	const account = whoAsks(event);
	const w = account.workspace;
	const [work, workspace, rehearsal, replay, remarks, overruled, living] = await Promise.all([
		readWork(db(), w),
		readWorkspace(db(), w),
		newestOfDraft(db(), w, 'records'),
		newestOfDraft(db(), w, 'changes'),
		listRemarks(db(), w),
		knownOverruled(db(), w),
		rowsToSend(db(), w)
	]);
	const { stand, pilot } = work;
	return {
		workspace,
		account: {
			id: account.id,
			name: account.name,
			email: account.email,
			role: account.role,
			person: account.person
		},
		model: work.model,
		modelRevision: stand.modelRevision,
		draft: { set: work.draft, authors: work.authors },
		revision: stand.revision,
		draftHash: work.draftHash,
		overruled,
		inForce: work.inForce,
		/** A release that decides some records first. */
		pilot: pilot && stand.pilot && { ...stand.pilot, set: pilot.set },
		living,
		trials: work.trials,
		rehearsal,
		replay,
		remarks
	};
};
