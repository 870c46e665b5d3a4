import { bundleFile } from '$server/http/bundle-file';
import { allowAll, answered } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** The draft or a release as a bundle: `?of=draft`, `?of=3`; for checks elsewhere. */
export const GET: RequestHandler = (event) => {
	const by = allowAll(event, 'a bundle, which has all');
	return answered(() => bundleFile(by, event.url.searchParams.get('of') ?? 'draft'));
};
