import { remove, save } from '$server/records';
import { checkSubmission, checkVersion, readJson } from '$door';
import { allow, answer, senderOf } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Saves a form: `?id=` for an existing record, `?form=short` from the short form. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { sent, version, release, living } = checkSubmission(await readJson(event.request));
		const q = event.url.searchParams;
		const sender = senderOf(account, q.get('form') === 'short' ? 'short' : 'full');
		const [outcome] = await save(sender, [
			{ type: event.params.type, id: q.get('id'), sent, keep: 'touched', version, release, living }
		]);
		return outcome;
	});
};

/** Deletes a record: `?id=` and the `version` that was seen. */
export const DELETE: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const q = event.url.searchParams;
		const version = q.has('version') ? checkVersion(Number(q.get('version'))) : undefined;
		await remove(senderOf(account, 'full'), {
			type: event.params.type,
			id: q.get('id') ?? '',
			version
		});
	});
};
