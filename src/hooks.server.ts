import { building } from '$app/environment';
import {
	json,
	redirect,
	type Handle,
	type HandleServerError,
	type ServerInit
} from '@sveltejs/kit';
import { accountOfSession, accountOfToken } from '$server/people/accounts';
import { startBackground } from '$server/jobs/background';
import { db } from '$server/db/pool';
import { log } from '$server/http/log';

/** Messages are handed over and long changes carried on as long as the server runs. */
export const init: ServerInit = () => {
	if (!building) startBackground();
};

const SAFE = new Set(['GET', 'HEAD', 'OPTIONS']);

/** Who asks, and whether the request may come from where it comes. */
export const handle: Handle = async ({ event, resolve }) => {
	const { request, url, cookies, locals } = event;
	locals.account = null;
	locals.session = null;
	if (url.pathname.startsWith('/api/')) {
		const token = /^Bearer (\S{1,200})$/.exec(request.headers.get('authorization') ?? '')?.[1];
		locals.account = token ? await accountOfToken(db(), token) : null;
		if (!locals.account)
			return json(
				{
					message:
						'Send a token: Authorization: Bearer rr_…. An administrator makes one under Settings.'
				},
				{ status: 401, headers: { 'www-authenticate': 'Bearer' } }
			);
		return resolve(event);
	}
	// cookies go along from any site, so what changes something must come from ours
	if (!SAFE.has(request.method) && request.headers.get('origin') !== url.origin)
		return json({ message: 'This request came from another site.' }, { status: 403 });
	const token = cookies.get('session');
	if (token) {
		locals.account = await accountOfSession(db(), token);
		if (locals.account) locals.session = token;
		else cookies.delete('session', { path: '/' });
	}
	if (!locals.account && url.pathname !== '/sign-in') {
		if (!SAFE.has(request.method) || request.headers.get('accept')?.includes('application/json'))
			return json({ message: 'Your session has ended. Sign in again.' }, { status: 401 });
		redirect(303, `/sign-in?to=${encodeURIComponent(url.pathname + url.search)}`);
	}
	const theme = cookies.get('theme') ?? '';
	const response = await resolve(event, {
		transformPageChunk: ({ html }) =>
			html.replace('%theme%', theme === 'dark' || theme === 'light' ? theme : '')
	});
	allowStyles(response);
	response.headers.set('x-content-type-options', 'nosniff');
	response.headers.set('referrer-policy', 'same-origin');
	return response;
};

/**
 * The editor of formulas makes its styles while it runs. They carry the nonce of the page's scripts,
 * so that the policy lets in these and no others.
 */
function allowStyles(response: Response) {
	const policy = response.headers.get('content-security-policy');
	const nonce = policy && /'nonce-[^']+'/.exec(policy)?.[0];
	if (nonce && !/style-src-elem[^;]*'nonce-/.test(policy))
		response.headers.set(
			'content-security-policy',
			policy.replace('style-src-elem', `style-src-elem ${nonce}`)
		);
}

export const handleError: HandleServerError = ({ error, event, status }) => {
	if (status !== 404) log.error({ err: error, path: event.url.pathname }, 'request failed');
	return {
		message:
			status === 404
				? 'There is nothing at this address.'
				: 'Something went wrong here; it was written to the log.'
	};
};
