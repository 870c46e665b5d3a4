import { BadInput } from '$door/check';
import { may } from '$door/rights';
import { listPosted, readSource } from '$server/db/lead-source';
import { db } from '$server/db/pool';
import { formAction, refuse } from '$server/http/forms';
import { allow } from '$server/http/guard';
import { start, stop } from '$server/outside/lead-source';
import { listAccounts } from '$server/people/accounts';
import { inForce } from '$server/records';
import { titlesOfLines } from '$server/records/view';
import type { Actions, PageServerLoad } from './$types';

const SIZE = 40;

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:outside');
	const posted = await listPosted(db(), workspace, SIZE);
	const { schema } = await inForce(db(), workspace);
	const titles = await titlesOfLines(
		workspace,
		schema,
		posted.map(({ type, answer: { id } }) => ({
			type,
			record: typeof id === 'string' ? id : null,
			field: null,
			was: null,
			now: null
		}))
	);
	const services = (await listAccounts(db(), workspace)).filter((a) => a.service && !a.retired);
	return {
		source: await readSource(db(), workspace),
		posted,
		titles,
		services: services
			.filter((a) => may(a.role, 'change'))
			.map(({ id, name, role }) => ({ id, name, role }))
	};
};

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

export const actions = {
	start: formAction('leadSource', async (v, event: On) => {
		try {
			const { of, type, every, minutes } = v;
			await start(allow(event), { of, type, every: Number(every), minutes: Number(minutes) });
		} catch (e) {
			if (e instanceof BadInput) refuse('of', e.message);
			throw e;
		}
		return { done: 'It posts from now on.' };
	}),
	stop: formAction('plain', async (_, event: On) => {
		await stop(allow(event));
		return { done: 'It posts no more.' };
	})
} satisfies Actions;
