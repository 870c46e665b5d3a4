import { BadInput, checkRevision, readJson } from '$door';
import { releaseDraft } from '$server/draft/release';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Releases the draft that the sender looked at. Blocking findings stop it; failing trials must be accepted. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const body = (await readJson(event.request)) as Record<string, unknown> | null;
		const note = body?.note;
		if (typeof note !== 'string' || !note.trim() || note.length > 1000)
			throw new BadInput('Write one line on what this release is for.');
		const seen = checkRevision(body!.revision);
		const acceptFailing = body!.acceptFailing === true;
		return releaseDraft(account, { note: note.trim(), acceptFailing, seen });
	});
};
