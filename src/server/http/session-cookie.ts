/** The cookie of a session. Behind TLS its name binds it to this host and to TLS (RFC 6265bis, 4.1.3.2). */
import type { Cookies } from '@sveltejs/kit';

const nameOf = (url: URL) => (url.protocol === 'https:' ? '__Host-session' : 'session');

export const readSession = (cookies: Cookies, url: URL): string | undefined =>
	cookies.get(nameOf(url))?.slice(0, 200);

export function setSession(cookies: Cookies, url: URL, token: string, seconds: number): void {
	cookies.set(nameOf(url), token, {
		path: '/',
		httpOnly: true,
		sameSite: 'lax',
		secure: url.protocol === 'https:',
		maxAge: seconds
	});
}

export function dropSession(cookies: Cookies, url: URL): void {
	cookies.delete(nameOf(url), { path: '/', secure: url.protocol === 'https:' });
}
