import { checkRemark, readJson } from '$door';
import { remark } from '$server/draft/remarks';
import { allow, answer } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** Says something of a rule, a finding or a trial: `{"kind": "rule", "key": id, "title", "text"}`. */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => remark(account, checkRemark(await readJson(event.request))));
};
