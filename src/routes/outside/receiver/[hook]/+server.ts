import { receive } from '$server/outside/receiver';
import type { RequestHandler } from './$types';

/** The stand-in receiver of webhooks. It is outside: nobody signs in, what is taken is signed. */
export const POST: RequestHandler = async ({ request, params }) => {
	const { status, headers, body } = await receive(params.hook, request);
	return new Response(body, {
		status,
		headers: { 'content-type': 'text/plain; charset=utf-8', ...headers }
	});
};
