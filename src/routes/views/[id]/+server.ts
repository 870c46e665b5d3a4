import { BadInput, readJson } from '$door';
import { checkViewChange } from '$door/lists';
import { changeView, removeView } from '$server/lists/views';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

const known = (id: string): string => {
	if (!/^\d{1,18}$/.test(id)) throw new BadInput('There is no such view.');
	return id;
};

/** Changes a view: `{"version", "name", "list"}`. */
export const PUT: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { version, ...view } = checkViewChange(await readJson(event.request));
		await changeView(account, known(event.params.id), version, view);
	});
};

/** Removes it. */
export const DELETE: RequestHandler = (event) => {
	const account = allow(event);
	return answer(() => removeView(account, known(event.params.id)));
};
