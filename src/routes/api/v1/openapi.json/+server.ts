import { json } from '@sveltejs/kit';
import { openApi } from '$server/http/openapi';
import type { RequestHandler } from './$types';

/** What the API takes and gives, for programs that make clients of it. */
export const GET: RequestHandler = ({ url }) => json(openApi(url.origin));
