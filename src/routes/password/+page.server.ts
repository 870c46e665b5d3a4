import { redirect } from '@sveltejs/kit';
import { formAction, refuse } from '$server/http/forms';
import { NotThisPerson, changePassword } from '$server/people/people';
import type { Actions, PageServerLoad } from './$types';

/** Whoever has a password that somebody else knows comes here first, and nowhere else. */
export const load: PageServerLoad = ({ locals }) => {
	if (!locals.account?.mustChange) redirect(303, '/');
	return { name: locals.account.name };
};

/** The event that the action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

export const actions = {
	default: formAction('password', async (v, event: On) => {
		const { account, session } = event.locals;
		if (!account || !session) redirect(303, '/sign-in');
		try {
			await changePassword(account, session, v);
		} catch (e) {
			if (e instanceof NotThisPerson) refuse(e.input, e.message);
			throw e;
		}
		redirect(303, '/');
	})
} satisfies Actions;
