import { BadInput, readJson } from '$door';
import { checkBulkStep } from '$door/bulk';
import { beginBulk, lookAnew, takeBack } from '$server/bulk/bulk';
import { isUuid } from '$server/db/jobs';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Goes on with a bulk change: `{"step": "look" | "begin" | "back"}`. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { id } = event.params;
		const { step } = checkBulkStep(await readJson(event.request));
		if (!isUuid(id)) throw new BadInput('There is no such bulk change.');
		if (step === 'look') return lookAnew(account, id);
		return step === 'begin' ? beginBulk(account, id) : takeBack(account, id);
	});
};
