import { BadInput, checkSettled, readJson } from '$door';
import { settle } from '$server/draft/remarks';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Notes that a remark is settled, or is open after all: `{"settled": true}`. */
export const PUT: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { settled } = checkSettled(await readJson(event.request));
		if (!/^\d{1,18}$/.test(event.params.id)) throw new BadInput('There is no such remark.');
		await settle(account, event.params.id, settled);
	});
};
