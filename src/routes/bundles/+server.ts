import { bundleFile } from '$server/http/bundle-file';
import { allow } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** The draft or a release as a bundle: `?of=draft`, `?of=3`. */
export const GET: RequestHandler = (event) =>
	bundleFile(allow(event), event.url.searchParams.get('of') ?? 'draft');
