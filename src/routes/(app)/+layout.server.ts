import { whoAsks } from '$server/http/guard';
import { readModel } from '$server/db/model';
import { pilotOn, readChoice } from '$server/db/pilot';
import { db } from '$server/db/pool';
import {
	hashAt,
	readDraft,
	readRelease,
	releaseInForce,
	rulesOf,
	trialsMark
} from '$server/db/rules';
import { newestOfDraft } from '$server/db/rehearsals';
import { listRemarks } from '$server/db/remarks';
import { readWorkspace } from '$server/db/workspace';
import { knownOverruled } from '$server/db/journal';
import { revisionOf } from '$server/draft/revision';
import { rowsToSend } from '$server/living/sent';
import type { LayoutServerLoad } from './$types';

/** What every page works on: the model, the draft, what is in force, and by which mark trials are fetched. */
export const load: LayoutServerLoad = async (event) => {
	event.depends('app:work');
	const account = whoAsks(event);
	const w = account.workspace;
	// read first: a step that comes between is told anew, and none is missed
	const draftRevision = await revisionOf(db(), w);
	const [
		{ model, revision },
		draft,
		number,
		trials,
		rehearsal,
		replay,
		remarks,
		overruled,
		living
	] = await Promise.all([
		readModel(db(), w),
		readDraft(db(), w),
		releaseInForce(db(), w),
		trialsMark(db(), w),
		newestOfDraft(db(), w, 'records'),
		newestOfDraft(db(), w, 'changes'),
		listRemarks(db(), w),
		knownOverruled(db(), w),
		rowsToSend(db(), w)
	]);
	const release = number ? await readRelease(db(), w, number) : null;
	const on = await pilotOn(db(), w);
	const tried = on && (await readRelease(db(), w, on.release));
	return {
		workspace: await readWorkspace(db(), w),
		account: {
			id: account.id,
			name: account.name,
			email: account.email,
			role: account.role,
			person: account.person
		},
		model,
		modelRevision: revision,
		draft,
		revision: draftRevision,
		draftHash: hashAt(w, draftRevision, draft.set, { model, revision }),
		overruled,
		inForce: {
			number,
			set: release ? rulesOf(release) : { rules: [], order: {} }
		},
		/** A release that decides some records first. */
		pilot: on && tried && { ...on, set: rulesOf(tried), choice: await readChoice(db(), on.id) },
		living,
		trials,
		rehearsal,
		replay,
		remarks
	};
};
