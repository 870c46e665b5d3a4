/** A bundle as a file, for pages and the API alike. */
import { error } from '@sveltejs/kit';
import { note } from '../audit/audit';
import type { Account } from '../db/people';
import { db } from '../db/pool';
import { bundleOf } from '../draft/bundle';

/**
 * The draft or a release as a bundle; taking one out is noted.
 * @param of `draft` or the number of a release @throws 404 where there is none
 */
export async function bundleFile(account: Account, of: string): Promise<Response> {
	const number = of === 'draft' ? null : /^\d{1,9}$/.test(of) ? Number(of) : 0;
	const doc = await bundleOf(db(), account.workspace, number);
	if (!doc) error(404, `There is no release “${of.slice(0, 40)}”.`);
	await note(db(), account, 'took out a file', `${doc.name} as a bundle`);
	return new Response(`${JSON.stringify(doc, null, '\t')}\n`, {
		headers: {
			'content-type': 'application/json; charset=utf-8',
			'content-disposition': `attachment; filename="bundle-${of}.json"`
		}
	});
}
