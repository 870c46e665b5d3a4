import { BadInput } from '$door/check';
import { may } from '$door/rights';
import { listPosted, readSource } from '$server/db/lead-source';
import { titlesOf } from '$server/db/records';
import { db } from '$server/db/pool';
import { formAction, refuse } from '$server/http/forms';
import { allow } from '$server/http/guard';
import { start, stop } from '$server/outside/lead-source';
import { listAccounts } from '$server/people/accounts';
import { inForce } from '$server/records';
import type { Actions, PageServerLoad } from './$types';

const SIZE = 40;

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:outside');
	const posted = await listPosted(db(), workspace, SIZE);
	const { schema } = await inForce(db(), workspace);
	const titles: Record<string, string> = {};
	for (const type of new Set(posted.map((p) => p.type))) {
		if (!schema.types.has(type)) continue;
		const ids = posted.flatMap((p) =>
			p.type === type && typeof p.answer.id === 'string' ? [p.answer.id] : []
		);
		for (const [id, title] of await titlesOf(db(), schema, workspace, type, ids))
			titles[`${type}.${id}`] = title;
	}
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
