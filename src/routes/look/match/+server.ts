import { inForce } from '$server/records';
import { db } from '$server/db/pool';
import { readDraft } from '$server/db/rules';
import { BadInput, checkRule, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import { lookAtMatches } from '$server/look/match';
import type { RequestHandler } from './$types';

/** What a match would find at the records that exist: one, none or several, with examples. */
export const POST: RequestHandler = (event) => {
	const account = allow(event, 'reader');
	return answer(async () => {
		const { rule: sent } = ((await readJson(event.request)) ?? {}) as { rule?: unknown };
		const rule = checkRule(sent);
		if (rule.body.kind !== 'match') throw new BadInput('The rule is no match among records.');
		const { schema } = await inForce(db(), account.workspace);
		const { set } = await readDraft(db(), account.workspace);
		return lookAtMatches(db(), account.workspace, schema.with(set), rule, Date.now());
	});
};
