import { db } from '$server/db/pool';
import { removeTrial, saveTrial } from '$server/db/rules';
import { BadInput, checkTrial, readJson } from '$door';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

export const PUT: RequestHandler = (event) => {
	const account = allow(event, 'author');
	return answer(async () => {
		const trial = checkTrial(await readJson(event.request));
		if (trial.id !== event.params.id)
			throw new BadInput('The identity in the address and in the trial differ.');
		await saveTrial(db(), account.workspace, trial);
	});
};

export const DELETE: RequestHandler = (event) => {
	const account = allow(event, 'author');
	return answer(() => removeTrial(db(), account.workspace, event.params.id));
};
