import { Schema, analyse, compilePlan, runTrial } from '$core';
import { zones } from '../../runtime/zones';
import { indexMatched, readModel } from '$server/db/model';
import { transaction } from '$server/db/pool';
import { createRelease, hashOf, listTrials, lockDraft, readDraft } from '$server/db/rules';
import { inForce } from '$server/records';
import { noteOutOfLine } from '$server/records/out-of-line';
import { BadInput, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

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
		const number = await transaction(async (c) => {
			await lockDraft(c, account.workspace);
			const [{ model }, draft, trials] = [
				await readModel(c, account.workspace),
				await readDraft(c, account.workspace),
				await listTrials(c, account.workspace)
			];
			if (typeof body!.hash === 'string' && body!.hash !== hashOf([draft.set, model]))
				throw new BadInput(
					'The draft changed since this page was loaded. Look again, then release.'
				);
			const plan = compilePlan(new Schema(model), draft.set);
			const { findings } = analyse(plan, draft.set, zones);
			const blocking = findings.filter((f) => f.severity === 'blocking');
			if (blocking.length)
				throw new BadInput(
					`${blocking.length} blocking finding${blocking.length > 1 ? 's' : ''} first: ${blocking[0].message}`
				);
			const failing = trials.filter((t) => !runTrial(plan, t, zones).held);
			if (failing.length && body!.acceptFailing !== true)
				throw new BadInput(
					`${failing.length} trial${failing.length > 1 ? 's do' : ' does'} not hold, “${failing[0].name}” first. Mend the draft or change what they expect.`
				);
			await indexMatched(c, plan.matched);
			const before = (await inForce(c, account.workspace)).plan;
			const number = await createRelease(
				c,
				account.workspace,
				draft.set,
				model,
				note.trim(),
				account.id
			);
			await noteOutOfLine(c, account, number, { before, after: plan }, Date.now());
			return number;
		});
		return { number };
	});
};
