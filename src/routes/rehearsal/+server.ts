import { note } from '$server/audit/audit';
import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { hashOfDraft, readDraft, saveRehearsal } from '$server/db/rules';
import { allow, answer } from '$server/http/guard';
import { rehearse } from '$server/look/rehearse';
import type { RequestHandler } from './$types';

/** Rehearses the draft on every record that exists. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const w = account.workspace;
		const [force, draft] = await Promise.all([inForce(db(), w), readDraft(db(), w)]);
		const hash = hashOfDraft(draft.set, force.schema.model);
		const result = await rehearse(db(), w, force.schema, force.plan, draft.set, Date.now());
		await saveRehearsal(db(), w, hash, result);
		await note(db(), account, 'rehearsed the draft', '', { records: result.records });
		return { hash, result };
	});
};
