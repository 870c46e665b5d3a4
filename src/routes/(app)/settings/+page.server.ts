import { createToken, listTokens, revokeToken } from '$server/people/accounts';
import { db } from '$server/db/pool';
import { formAction } from '$server/http/forms';
import { allow } from '$server/http/guard';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const account = allow(event, 'reader');
	const admin = account.role === 'administrator';
	return { tokens: admin ? await listTokens(db(), account.workspace) : [] };
};

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

export const actions = {
	token: formAction('token', async (v, event: On) => {
		const account = allow(event, 'administrator');
		return { token: await createToken(db(), account, v.label) };
	}),
	revoke: formAction('revoke', async (v, event: On) => {
		const account = allow(event, 'administrator');
		await revokeToken(db(), account.workspace, v.id);
		return { done: 'The token opens nothing any more.' };
	})
} satisfies Actions;
