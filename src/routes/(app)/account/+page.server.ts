import { db } from '$server/db/pool';
import { formAction, refuse } from '$server/http/forms';
import { allow } from '$server/http/guard';
import { NotThisPerson, changePassword, endOwnSessions, sessionsOf } from '$server/people/people';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	return { sessions: await sessionsOf(db(), account, event.locals.session!) };
};

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

export const actions = {
	password: formAction('password', async (v, event: On) => {
		const account = allow(event);
		try {
			await changePassword(account, event.locals.session!, v);
		} catch (e) {
			if (e instanceof NotThisPerson) refuse(e.input, e.message);
			throw e;
		}
		return { done: 'Your password is changed, and your other sessions are ended.' };
	}),
	end: formAction('session', async (v, event: On) => {
		const account = allow(event);
		const n = await endOwnSessions(account, event.locals.session!, v.id || undefined);
		return { done: n === 1 ? 'The session is ended.' : `${n} sessions are ended.` };
	})
} satisfies Actions;
