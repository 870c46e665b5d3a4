import { redirect } from '@sveltejs/kit';
import { db } from '$server/db/pool';
import { hasPeople } from '$server/db/workspace';
import { formAction, refuse } from '$server/http/forms';
import { makeFirst } from '$server/people/first';
import { NotThisPerson } from '$server/people/people';
import type { Actions, PageServerLoad } from './$types';

/** Whoever has the code from the log makes the first administrator; afterwards there is nothing here. */
export const load: PageServerLoad = async () => {
	if (await hasPeople(db())) redirect(303, '/sign-in');
};

/** The event that the action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

export const actions = {
	default: formAction('first', async (v, _event: On) => {
		try {
			await makeFirst(v, v.code);
		} catch (e) {
			if (e instanceof NotThisPerson) refuse(e.input, e.message);
			throw e;
		}
		redirect(303, '/sign-in');
	})
} satisfies Actions;
