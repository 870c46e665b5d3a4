import { BadInput, checkReasons, checkRevision, readJson } from '$door';
import { releaseDraft } from '$server/draft/release';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/**
 * Releases the draft that the sender looked at, if the gate lets it through:
 * `{"note", "revision", "reasons": {"trials": "why although"}, "lock": false}`; with `lock`, what is Locked is brought into line
 * in all records at once; with `hold` it is only made, to decide some records first, or to be put in force later.
 */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const body = (await readJson(event.request)) as Record<string, unknown> | null;
		const note = body?.note;
		if (typeof note !== 'string' || !note.trim() || note.length > 1000)
			throw new BadInput('Write one line on what this release is for.');
		const seen = checkRevision(body!.revision);
		const reasons = checkReasons(body!.reasons);
		return releaseDraft(account, {
			note: note.trim(),
			reasons,
			seen,
			lock: body!.lock === true,
			hold: body!.hold === true
		});
	});
};
