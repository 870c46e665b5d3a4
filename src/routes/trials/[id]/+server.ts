import { BadInput, checkKeptTrial, checkTrialSeen, readJson } from '$door';
import { dropTrial, storeTrial } from '$server/draft/trials';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

export const PUT: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { trial, had } = checkKeptTrial(await readJson(event.request));
		if (trial.id !== event.params.id)
			throw new BadInput('The identity in the address and in the trial differ.');
		return storeTrial(account, trial, had);
	});
};

export const DELETE: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { request, params } = event;
		const had = request.body ? checkTrialSeen(await readJson(request)) : undefined;
		return dropTrial(account, params.id, had);
	});
};
