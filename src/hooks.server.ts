import { randomUUID } from 'node:crypto';
import { building } from '$app/environment';
import {
	json,
	redirect,
	type Handle,
	type HandleServerError,
	type RequestEvent,
	type ServerInit
} from '@sveltejs/kit';
import { accountOfSession, accountOfToken } from '$server/people/accounts';
import { startBackground } from '$server/jobs/background';
import { db } from '$server/db/pool';
import { dbTrouble, type DbTrouble } from '$server/db/trouble';
import { log } from '$server/http/log';

/** Messages are handed over and long changes carried on as long as the server runs. */
export const init: ServerInit = () => {
	if (!building) startBackground();
};

const SAFE = new Set(['GET', 'HEAD', 'OPTIONS']);

/** Answered whoever asks: whether the server is alive, and whether it can work. */
const OPEN = new Set(['/health', '/ready']);

/** What every request has, and what becomes of those for which the database is away. */
export const handle: Handle = async ({ event, resolve }) => {
	const { locals } = event;
	locals.account = null;
	locals.session = null;
	locals.trouble = null;
	locals.request = randomUUID();
	let response: Response;
	try {
		response = await answered({ event, resolve });
	} catch (e) {
		// before anything was asked of a route: who asks could not be found out
		const trouble = dbTrouble(e);
		if (!trouble) throw e;
		log.warn({ err: e, request: locals.request, path: event.url.pathname }, 'database away');
		return unavailable(event, trouble);
	}
	const trouble = locals.trouble as DbTrouble | null;
	if (trouble && response.status === 500) {
		response = new Response(response.body, { status: 503, headers: response.headers });
		response.headers.set('retry-after', String(trouble.again));
	}
	response.headers.set('x-request-id', locals.request);
	return response;
};

function unavailable(event: RequestEvent, trouble: DbTrouble): Response {
	const headers = { 'retry-after': String(trouble.again), 'x-request-id': event.locals.request };
	const page = event.request.headers.get('accept')?.includes('text/html');
	if (!page)
		return json({ message: trouble.message, again: trouble.again }, { status: 503, headers });
	// a page that asks again by itself, and needs nothing that could be away as well
	const html = `<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="${trouble.again}"><title>Rigid Rule</title><body style="font-family:sans-serif;max-width:30em;margin:15vh auto;padding:0 1em"><h1 style="font-size:1.2em">${trouble.message}</h1><p>This page asks again by itself.</p>`;
	return new Response(html, {
		status: 503,
		headers: { ...headers, 'content-type': 'text/html; charset=utf-8' }
	});
}

/** Who asks, and whether the request may come from where it comes. */
const answered: Handle = async ({ event, resolve }) => {
	const { request, url, cookies, locals } = event;
	if (OPEN.has(url.pathname)) return resolve(event);
	if (url.pathname.startsWith('/api/')) {
		const token = /^Bearer (\S{1,200})$/.exec(request.headers.get('authorization') ?? '')?.[1];
		locals.account = token ? await accountOfToken(db(), token) : null;
		if (locals.account?.mustChange) locals.account = null;
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
	// a password that somebody else knows opens nothing but its own change
	if (locals.account?.mustChange && !['/password', '/sign-out'].includes(url.pathname)) {
		if (!SAFE.has(request.method) || request.headers.get('accept')?.includes('application/json'))
			return json({ message: 'Change your password first.' }, { status: 403 });
		redirect(303, '/password');
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
	const { request } = event.locals;
	const trouble = dbTrouble(error);
	if (trouble) {
		event.locals.trouble = trouble;
		log.warn({ err: error, request, path: event.url.pathname }, 'database away');
		return { ...trouble, request };
	}
	if (status !== 404)
		log.error({ err: error, request, path: event.url.pathname }, 'request failed');
	return {
		request,
		message:
			status === 404
				? 'There is nothing at this address.'
				: `Something went wrong here; it was written to the log as ${request}.`
	};
};
