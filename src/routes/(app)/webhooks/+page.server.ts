import { readModel } from '$server/db/model';
import { listHooks } from '$server/db/hooks';
import { db } from '$server/db/pool';
import { formAction } from '$server/http/forms';
import { allow } from '$server/http/guard';
import { hookAsked, toldAtInput } from '$server/outside/asked';
import { makeHook } from '$server/outside/hooks';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	event.depends('app:outside');
	return { hooks: await listHooks(db(), account.workspace) };
};

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

export const actions = {
	make: formAction('hook', async (v, event: On) => {
		const by = allow(event);
		const { model } = await readModel(db(), by.workspace);
		return { made: await toldAtInput(() => makeHook(by, hookAsked(v, model))) };
	})
} satisfies Actions;
