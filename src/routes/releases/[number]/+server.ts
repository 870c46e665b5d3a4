import { error } from '@sveltejs/kit';
import { BadInput, checkReason, checkRevision, readJson } from '$door';
import { note } from '$server/audit/audit';
import { db } from '$server/db/pool';
import { readRelease } from '$server/db/rules';
import { putReleaseInForce, takeAsDraft } from '$server/draft/release';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** The number of a release; 0 for what is none. */
const numbered = (text: string) => (/^\d{1,9}$/.test(text) ? Number(text) : 0);

/** A release as a file: rules, claim orders and the model it was made with. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const number = numbered(event.params.number);
	const doc = number ? await readRelease(db(), account.workspace, number) : null;
	if (!doc) error(404, `There is no release ${event.params.number}.`);
	await note(db(), account, 'took out a file', `Release ${number}`);
	return new Response(`${JSON.stringify(doc, null, 2)}\n`, {
		headers: {
			'content-type': 'application/json; charset=utf-8',
			'content-disposition': `attachment; filename="release-${number}.json"`
		}
	});
};

/**
 * Puts a release in force, or makes it the draft: `{"do": "take as draft", "revision": 12}`. Put in force with `lock`,
 * what is Locked is brought into line in all records at once; `reason` says why, where the gate asks for it.
 */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	const number = numbered(event.params.number);
	if (!number) error(404, `There is no release ${event.params.number}.`);
	return answer(async () => {
		const body = (await readJson(event.request)) as Record<string, unknown> | null;
		if (body?.do === 'put in force')
			return putReleaseInForce(account, number, {
				lock: body.lock === true,
				reason: checkReason(body.reason)
			});
		if (body?.do === 'take as draft')
			return takeAsDraft(account, number, checkRevision(body.revision));
		throw new BadInput('do must be “put in force” or “take as draft”.');
	});
};
