import { Schema, compilePlan, stopsRelease } from '$core';
import { indexMatched, readModel } from '$server/db/model';
import type { Db } from '$server/db/pool';
import { db, transaction } from '$server/db/pool';
import {
	createRelease,
	hashOf,
	hashOfDraft,
	listTrials,
	lockDraft,
	readDraft
} from '$server/db/rules';
import { knownOverruled } from '$server/db/journal';
import { inForce } from '$server/records';
import { noteOutOfLine } from '$server/records/out-of-line';
import { analyseApart } from '$server/look/analysis';
import { BadInput, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

const CHANGED = 'The draft changed since this page was loaded. Look again, then release.';

async function readAll(c: Db, workspace: string) {
	const { model } = await readModel(c, workspace);
	return { model, draft: await readDraft(c, workspace), trials: await listTrials(c, workspace) };
}

/** Releases the draft that the sender looked at. Blocking findings stop it; failing trials must be accepted. */
export const POST: RequestHandler = (event) => {
	const account = allow(event, 'author');
	return answer(async () => {
		const body = (await readJson(event.request)) as {
			note?: unknown;
			acceptFailing?: unknown;
			hash?: unknown;
		} | null;
		const note = body?.note;
		if (typeof note !== 'string' || !note.trim() || note.length > 1000)
			throw new BadInput('Write one line on what this release is for.');
		// what takes long is done on what was read, before anything is locked
		const { workspace } = account;
		const looked = await readAll(db(), workspace);
		const { set } = looked.draft;
		if (typeof body!.hash === 'string' && body!.hash !== hashOfDraft(set, looked.model))
			throw new BadInput(CHANGED);
		const plan = compilePlan(new Schema(looked.model), set);
		const { checked, failing } = await analyseApart({
			model: looked.model,
			set,
			trials: looked.trials,
			overruled: await knownOverruled(db(), workspace)
		});
		const blocking = checked.findings.filter(stopsRelease);
		if (blocking.length)
			throw new BadInput(
				`${blocking.length} blocking finding${blocking.length > 1 ? 's' : ''} first: ${blocking[0].message}`
			);
		const first = looked.trials.find((t) => t.id === failing[0]);
		if (failing.length && body!.acceptFailing !== true)
			throw new BadInput(
				`${failing.length} trial${failing.length > 1 ? 's do' : ' does'} not hold, “${first?.name}” first. Mend the draft or change what they expect.`
			);
		const number = await transaction(async (c) => {
			await lockDraft(c, workspace);
			const { draft, model, trials } = await readAll(c, workspace);
			const now = hashOf([draft.set, model, trials]);
			if (now !== hashOf([set, looked.model, looked.trials])) throw new BadInput(CHANGED);
			await indexMatched(c, plan.matched);
			const before = (await inForce(c, workspace)).plan;
			const number = await createRelease(c, workspace, draft.set, model, note.trim(), account.id);
			await noteOutOfLine(c, account, number, { before, after: plan }, Date.now());
			return number;
		});
		return { number };
	});
};
