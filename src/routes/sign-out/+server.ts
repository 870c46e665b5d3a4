import { redirect } from '@sveltejs/kit';
import { signOut } from '$server/people/accounts';
import type { RequestHandler } from './$types';

export const POST: RequestHandler = async ({ locals, cookies }) => {
	if (locals.session) await signOut(locals.account, locals.session);
	cookies.delete('session', { path: '/' });
	redirect(303, '/sign-in');
};
