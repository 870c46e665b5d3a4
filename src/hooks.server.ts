import { randomUUID } from 'node:crypto';
import { building } from '$app/environment';
import {
	isRedirect,
	json,
	redirect,
	type Handle,
	type HandleServerError,
	type RequestEvent,
	type ServerInit
} from '@sveltejs/kit';
import { forRequest, note } from '$server/audit/audit';
import { accountOfSession, accountOfToken } from '$server/people/accounts';
import { startBackground } from '$server/jobs/background';
import { db } from '$server/db/pool';
import { dataFault, dbTrouble } from '$server/db/trouble';
import { refusal } from '$server/http/guard';
import { doingOf } from '$server/http/routes';
import { dropSession, readSession } from '$server/http/session-cookie';
import { log } from '$server/http/log';
import { noteRequest } from '$server/measure/metrics';

/** Messages are handed over and long changes carried on as long as the server runs. */
export const init: ServerInit = () => {
	if (!building) startBackground();
};

const SAFE = new Set(['GET', 'HEAD', 'OPTIONS']);

/**
 * Answered whoever asks, without looking who it is: the database may be away, or what came is signed and
 * looked at there.
 */
const OPEN = new Set(['/health', '/ready', '/outside/receiver/[hook]']);

/** What every request has, and what becomes of those for which the database is away. */
export const handle: Handle = async ({ event, resolve }) => {
	const { locals, request } = event;
	const from = performance.now();
	locals.account = null;
	locals.session = null;
	locals.trouble = null;
	locals.request = randomUUID();
	locals.address = addressOf(event);
	const response = await forRequest(locals, () => served({ event, resolve }));
	response.headers.set('x-request-id', locals.request);
	response.headers.set('x-content-type-options', 'nosniff');
	response.headers.set('referrer-policy', 'same-origin');
	// a proxy does not keep a page until what comes behind it is there
	if (response.headers.get('content-type')?.startsWith('text/html'))
		response.headers.set('x-accel-buffering', 'no');
	if (!response.headers.has('cache-control')) response.headers.set('cache-control', 'no-store');
	// pages have a policy of their own, with nonces; nothing else is to be shown by a browser at all
	if (!response.headers.has('content-security-policy'))
		response.headers.set('content-security-policy', "default-src 'none'; frame-ancestors 'none'");
	const seconds = (performance.now() - from) / 1000;
	const { method } = request;
	noteRequest({ route: event.route.id, method, status: response.status, seconds });
	log.info(
		{
			request: locals.request,
			method,
			path: event.url.pathname,
			status: response.status,
			ms: Math.round(seconds * 1000),
			account: (locals as App.Locals).account?.id
		},
		'request'
	);
	return response;
};

/** The address of whoever asks. An IPv4 address in the dress of IPv6 is one and the same. */
function addressOf(event: RequestEvent): string {
	try {
		return event.getClientAddress().replace(/^::ffff:(?=\d+\.)/, '');
	} catch {
		return '';
	}
}

const served: Handle = async ({ event, resolve }) => {
	const { locals } = event;
	let response: Response;
	try {
		response = await answered({ event, resolve });
	} catch (e) {
		// a redirect gets the headers that every answer has; what asks for data is answered by SvelteKit
		if (isRedirect(e) && !event.isDataRequest)
			return new Response(null, { status: e.status, headers: { location: e.location } });
		// before anything was asked of a route: who asks could not be found out
		const trouble = dbTrouble(e);
		if (!trouble) throw e;
		log.warn({ err: e, request: locals.request, path: event.url.pathname }, 'database away');
		return unavailable(event, trouble);
	}
	const { trouble } = locals;
	if (!trouble || response.status !== 500) return response;
	const { status = 503, again } = trouble;
	const changed = new Response(response.body, { status, headers: response.headers });
	if (again !== undefined) changed.headers.set('retry-after', String(again));
	return changed;
};

function unavailable(event: RequestEvent, trouble: { message: string; again: number }): Response {
	const headers = { 'retry-after': String(trouble.again) };
	const page = event.request.headers.get('accept')?.includes('text/html');
	if (!page)
		return json({ message: trouble.message, again: trouble.again }, { status: 503, headers });
	// a page that asks again by itself, and needs nothing that could be away as well
	const html = `<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="${trouble.again}"><title>Rigid Rule</title><body style="font-family:sans-serif;max-width:30em;margin:15vh auto;padding:0 1em"><h1 style="font-size:1.2em">${trouble.message}</h1><p>This page asks again by itself.</p>`;
	return new Response(html, {
		status: 503,
		headers: {
			...headers,
			'content-type': 'text/html; charset=utf-8',
			'content-security-policy':
				"default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'"
		}
	});
}

/** The address as SvelteKit finds a route by it: `/%61pi` is `/api`. Null for one that cannot be read. */
function decoded(pathname: string): string | null {
	try {
		const path = decodeURIComponent(pathname);
		return path.includes('\0') ? null : path;
	} catch {
		return null;
	}
}

/** Who asks, whether the request may come from where it comes, and whether they have the right. */
const answered: Handle = async ({ event, resolve }) => {
	const { url, route } = event;
	const path = decoded(url.pathname);
	if (path === null || /%00/.test(url.search))
		return json(
			{ message: 'This address cannot be read: it holds signs that no text has.' },
			{ status: 400 }
		);
	if (/^\/api(\/|$)/.test(path)) return answeredToToken(event, () => resolve(event));
	// metrics are for whoever has the right and for a token alike
	const token = route.id === '/metrics' && bearerOf(event.request);
	if (token) return answeredToToken(event, () => resolve(event));
	if (OPEN.has(route.id ?? '')) return resolve(event);
	return answeredToSession(event, resolve);
};

/** What a request carries to say which token it has. */
const bearerOf = (request: Request): string | undefined =>
	/^Bearer (\S{1,200})$/i.exec(request.headers.get('authorization') ?? '')?.[1];

async function answeredToToken(
	event: RequestEvent,
	go: () => Response | Promise<Response>
): Promise<Response> {
	const { locals, route, request } = event;
	if (route.id === null)
		return json({ message: 'There is nothing at this address.' }, { status: 404 });
	const doing = doingOf(route.id, request.method, event.url.searchParams);
	if (doing?.asks !== 'anyone') {
		const token = bearerOf(request);
		locals.account = token ? await accountOfToken(db(), token) : null;
		if (locals.account?.mustChange) locals.account = null;
		if (!locals.account)
			return json(
				{ message: 'Send a token: Authorization: Bearer rr_…. Operators make one under Settings.' },
				{ status: 401, headers: { 'www-authenticate': 'Bearer' } }
			);
	}
	const refused = refusal(event);
	return refused ? refuse(event, refused) : go();
}

/** Refuses, and keeps that it was refused where somebody lacks a right. */
async function refuse(
	event: RequestEvent,
	{ status, message }: { status: number; message: string }
): Promise<Response> {
	const { account } = event.locals;
	if (status === 403 && account)
		await note(db(), account, 'was refused a right', `${event.request.method} ${event.route.id}`);
	return json({ message }, { status });
}

async function answeredToSession(
	event: RequestEvent,
	resolve: Parameters<Handle>[0]['resolve']
): Promise<Response> {
	const { request, url, cookies, locals, route } = event;
	const changes = !SAFE.has(request.method);
	const asJson = changes || request.headers.get('accept')?.includes('application/json');
	// cookies go along from any site, so what changes something must come from ours
	if (changes && request.headers.get('origin') !== url.origin)
		return json({ message: 'This request came from another site.' }, { status: 403 });
	const token = readSession(cookies, url);
	if (token) {
		locals.account = await accountOfSession(db(), token);
		if (locals.account) locals.session = token;
		else dropSession(cookies, url);
	}
	const doing = doingOf(route.id, request.method, url.searchParams);
	if (!locals.account && doing?.asks !== 'anyone') {
		if (asJson) return json({ message: 'Your session has ended. Sign in again.' }, { status: 401 });
		redirect(303, `/sign-in?to=${encodeURIComponent(url.pathname + url.search)}`);
	}
	// a password that somebody else knows opens nothing but its own change
	if (locals.account?.mustChange && route.id !== '/password' && route.id !== '/sign-out') {
		if (asJson) return json({ message: 'Change your password first.' }, { status: 403 });
		redirect(303, '/password');
	}
	// a page that somebody may not see says so within the frame; its load refuses
	const page = !changes && route.id?.startsWith('/(app)');
	const refused = route.id === null || page ? null : refusal(event);
	if (refused) return refuse(event, refused);
	const theme = cookies.get('theme') ?? '';
	const response = await resolve(event, {
		transformPageChunk: ({ html }) =>
			html.replace('%theme%', theme === 'dark' || theme === 'light' ? theme : '')
	});
	// the same stands in the page's head; as a header it outgrows what a proxy takes of one (4 KB)
	response.headers.delete('link');
	allowStyles(response);
	return response;
}

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

export const handleError: HandleServerError = ({ error: e, event, status }) => {
	const { request } = event.locals;
	const trouble = dbTrouble(e);
	if (trouble) {
		event.locals.trouble = trouble;
		log.warn({ err: e, request, path: event.url.pathname }, 'database away');
		return { ...trouble, request };
	}
	const fault = dataFault(e);
	if (fault) {
		event.locals.trouble = { status: 400, message: fault };
		log.warn(
			{ err: e, request, path: event.url.pathname },
			'a value that cannot be stored came past the door'
		);
		return { message: fault, request };
	}
	if (status !== 404) log.error({ err: e, request, path: event.url.pathname }, 'request failed');
	return {
		request,
		message:
			status === 404
				? 'There is nothing at this address.'
				: `Something went wrong here; it was written to the log as ${request}.`
	};
};
