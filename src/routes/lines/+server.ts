import { json } from '@sveltejs/kit';
import { readJson } from '$door';
import { checkLineStep } from '$door/line';
import { allow, answer } from '$server/http/guard';
import { lineCounts, lineStep } from '$server/line/line';
import type { RequestHandler } from './$types';

/** How many values are out of line, by field and claim. */
export const GET: RequestHandler = async (event) => {
	const { workspace } = allow(event);
	return json(await lineCounts(workspace));
};

/**
 * Leaves values out of line, takes them up again, or looks anew:
 * `{"step": "leave", "type", "field", "is": "open", "ids": null, "why"}`.
 */
export const POST: RequestHandler = (event) => {
	const account = allow(event);
	return answer(async () => lineStep(account, checkLineStep(await readJson(event.request))));
};
