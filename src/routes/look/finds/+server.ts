import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { readDraft, withLiving } from '$server/db/rules';
import { checkRule, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import { lookAtFinds } from '$server/look/finds';
import type { RequestHandler } from './$types';

/** What a match or look-up would find at the records that exist: one, none or several, with examples. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { rule: sent } = ((await readJson(event.request)) ?? {}) as { rule?: unknown };
		const rule = checkRule(sent);
		const { schema } = await inForce(db(), account.workspace);
		const { workspace } = account;
		const set = await withLiving(db(), workspace, (await readDraft(db(), workspace)).set);
		return lookAtFinds(db(), account.workspace, schema.with(set), rule, Date.now());
	});
};
