import { save } from '$server/decide';
import { BadInput, checkSubmission, readJson } from '$server/door';
import { allow, answer, senderOf } from '$server/guard';
import type { RequestHandler } from './$types';

/** Saves a form: `?id=` for an existing record, `?form=short` from the short form. */
export const POST: RequestHandler = (event) => {
	const account = allow(event, 'reader');
	return answer(async () => {
		if (account.role === 'reader')
			throw new BadInput('A reader looks and does not change records.');
		const { sent, version, release } = checkSubmission(await readJson(event.request));
		const q = event.url.searchParams;
		const sender = senderOf(account, q.get('form') === 'short' ? 'short' : 'full');
		const [outcome] = await save(sender, [
			{ type: event.params.type, id: q.get('id'), sent, keep: 'touched', version, release }
		]);
		return outcome;
	});
};
