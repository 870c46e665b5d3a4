import { BadInput } from '$door';
import { takeImportBack } from '$server/bulk/bulk';
import { isUuid } from '$server/db/jobs';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Looks at what taking an import back would do. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => {
		const { id } = event.params;
		if (!isUuid(id)) throw new BadInput('There is no such import.');
		return takeImportBack(account, id);
	});
};
