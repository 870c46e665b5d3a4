import { readJson } from '$door';
import { checkPilotStep } from '$door/pilot';
import { endOfPilot, lastingNow, lookAtPilot, startPilot, widenPilot } from '$server/draft/pilot';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/**
 * Lets a release decide some records first: `{"step": "start", "release": 5, "choice": {"chosen": [{"type", "condition"}],
 * "brought": {"accounts", "roads"}}, "why": ""}`; with `look` it is only counted what it would take. `widen` takes more,
 * `withdraw` and `take` end it; `lasting` says what that would not undo.
 */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const asked = checkPilotStep(await readJson(event.request));
		if (asked.step === 'look') return lookAtPilot(account, asked);
		if (asked.step === 'start') return startPilot(account, asked);
		if (asked.step === 'lasting') return lastingNow(account, asked);
		if (asked.step === 'widen') return widenPilot(account, asked);
		return endOfPilot(account, asked);
	});
};
