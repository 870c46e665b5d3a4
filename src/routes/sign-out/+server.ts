import { redirect } from '@sveltejs/kit';
import { dropSession } from '$server/http/session-cookie';
import { signOut } from '$server/people/accounts';
import type { RequestHandler } from './$types';

export const POST: RequestHandler = async ({ locals, cookies, url }) => {
	if (locals.session) await signOut(locals.account, locals.session);
	dropSession(cookies, url);
	redirect(303, '/sign-in');
};
