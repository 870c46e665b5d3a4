import { error } from '@sveltejs/kit';
import { bundleFile } from '$server/http/bundle-file';
import { allow, answered } from '$server/http/guard';
import type { RequestHandler } from './$types';

/** The draft or a release as a bundle: `?of=draft`, `?of=3`; for checks elsewhere. */
export const GET: RequestHandler = (event) => {
	const by = allow(event);
	const { types, name } = by;
	if (types) error(403, `This token of ${name} reaches ${types.join(', ')}, and a bundle has all.`);
	return answered(() => bundleFile(by, event.url.searchParams.get('of') ?? 'draft'));
};
